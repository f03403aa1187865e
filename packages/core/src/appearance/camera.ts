import { turnOf } from '../geometry/index.ts';

type Vector = readonly [number, number, number];

/** Looks along `forward`; clip = rows × (x, y, z, 1), depth from 0 near to 1 far. */
export interface Camera {
  eye: Vector;
  right: Vector;
  up: Vector;
  forward: Vector;
  /** Rows of clip x, y, z and w, four numbers each. */
  rows: Float64Array;
  /** Clip units a metre sideways at one metre's distance. */
  lens: number;
  near: number;
  far: number;
}

/** Degrees that a portrait lens sees from top to bottom. */
export const LENS = 20;

/**
 * Sees `height` metres around `middle`, from `yaw` degrees to the figure's left of straight ahead and `pitch` degrees above.
 * Whatever lies up to 1.5 m before the middle and 3 m behind it is seen.
 */
export function lookAt(middle: Vector, height: number, yaw: number, pitch: number): Camera {
  const { cos, sin } = turnOf(LENS / 2),
    lens = cos / sin,
    distance = (height / 2) * lens,
    turn = turnOf(yaw),
    rise = turnOf(pitch);
  const away: Vector = [turn.sin * rise.cos, rise.sin, turn.cos * rise.cos],
    forward: Vector = [-away[0], -away[1], -away[2]],
    right: Vector = [turn.cos, 0, -turn.sin],
    up: Vector = [-turn.sin * rise.sin, rise.cos, -turn.cos * rise.sin],
    eye: Vector = [0, 1, 2].map((k) => middle[k] + distance * away[k]) as unknown as Vector;
  const near = Math.max(0.005, distance - 1.5),
    far = distance + 3,
    a = far / (far - near);
  const rows = new Float64Array(16);
  for (const [i, axis, scale, shift] of [
    [0, right, lens, 0],
    [1, up, lens, 0],
    [2, forward, a, -near * a],
    [3, forward, 1, 0],
  ] as const) {
    for (let k = 0; k < 3; k++) rows[i * 4 + k] = axis[k] * scale;
    rows[i * 4 + 3] = shift - scale * (axis[0] * eye[0] + axis[1] * eye[1] + axis[2] * eye[2]);
  }
  return { eye, right, up, forward, rows, lens, near, far };
}

/** World point at the middle of a pixel, by its depth; millimetres kept. */
export function pointAt(camera: Camera, size: number, pixel: number, depth: number): [number, number, number] {
  const { near, far, eye, right, up, forward, lens } = camera,
    a = far / (far - near),
    distance = (near * a) / (a - depth);
  const x = (((((pixel % size) + 0.5) / size) * 2 - 1) * distance) / lens,
    y = ((1 - ((Math.floor(pixel / size) + 0.5) / size) * 2) * distance) / lens;
  return [0, 1, 2].map(
    (k) => Math.round((eye[k] + right[k] * x + up[k] * y + forward[k] * distance) * 1000) / 1000,
  ) as [number, number, number];
}

/** Where a world point lies in a picture of `size` pixels, from its left and upper edge; the other way round from {@link pointAt}. */
export function pixelAt({ rows }: Camera, size: number, point: ArrayLike<number>): { x: number; y: number } {
  const row = (k: number) =>
      rows[k * 4] * point[0] + rows[k * 4 + 1] * point[1] + rows[k * 4 + 2] * point[2] + rows[k * 4 + 3],
    w = row(3) || 1;
  return { x: (size / 2) * (1 + row(0) / w), y: (size / 2) * (1 - row(1) / w) };
}
