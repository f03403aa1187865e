import { hangingTogether, weldByPlace } from '../geometry/index.ts';
import { trianglesOf } from './arrays.ts';
import type { Deformer } from './deform.ts';
import type { Part } from './parts.ts';

/** The front half of an eyeball as it is seen from its middle: how far out it reaches in each direction. */
export interface Eyeball {
  middle: [number, number, number];
  /** Largest distance from the middle, metres. */
  radius: number;
  /** Reach by direction, {@link GRID} a side, laid out by stereographic projection from behind; 0 where no vertex lies near. */
  reach: Float32Array;
}
const GRID = 40,
  /** Directions this far to the front are looked at: cosine from straight ahead. */
  FRONT = 0.2;
/** Field of a direction (not unit) in the front half; −1 behind. */
function fieldOf(x: number, y: number, z: number, length: number): number {
  if (z < FRONT * length || !length) return -1;
  const column = Math.floor((x / (length + z) / 2 + 0.5) * GRID),
    row = Math.floor((y / (length + z) / 2 + 0.5) * GRID);
  return column < 0 || row < 0 || column >= GRID || row >= GRID ? -1 : row * GRID + column;
}

/** Left between a lid and the ball, metres: enough for a depth buffer. */
const CLEAR = 1.5e-4;

/** Pieces of eyes and corneas whose middles are one: a ball with its cornea. */
export function eyeballs({ ranges }: Deformer, rest: Float32Array): Eyeball[] {
  const pieces = ranges
    .filter(({ part }) => part.kind === 'eye' || part.kind === 'cornea')
    .flatMap(({ part, firstVertex, vertices }) =>
      piecesOf(part, rest.subarray(firstVertex * 3, (firstVertex + vertices) * 3)),
    );
  const balls: number[][][] = [];
  for (const piece of pieces) {
    const like = balls.find((ball) => far(middleOf(ball.flat()), middleOf(piece)) < 0.5 * reachOf(piece));
    if (like) like.push(piece);
    else balls.push([piece]);
  }
  return balls.map((all) => {
    const largest = all.reduce((a, b) => (reachOf(b) > reachOf(a) ? b : a)),
      middle = middleOf(largest),
      points = all.flat(),
      reach = new Float32Array(GRID * GRID);
    let radius = 0;
    for (let v = 0; v < points.length; v += 3) {
      const [x, y, z] = [points[v] - middle[0], points[v + 1] - middle[1], points[v + 2] - middle[2]],
        r = Math.hypot(x, y, z),
        field = fieldOf(x, y, z, r);
      radius = Math.max(radius, r);
      // Of a ball and its cornea in one direction the outer one counts.
      if (field >= 0) reach[field] = Math.max(reach[field], r);
    }
    return { middle, radius, reach: filled(filled(filled(reach))) };
  });
}

/** Empty fields take the largest of those beside them. */
function filled(reach: Float32Array): Float32Array {
  return reach.map((value, i) => {
    if (value) return value;
    const [row, column] = [Math.floor(i / GRID), i % GRID];
    let most = 0;
    for (let r = Math.max(0, row - 1); r <= Math.min(GRID - 1, row + 1); r++)
      for (let c = Math.max(0, column - 1); c <= Math.min(GRID - 1, column + 1); c++)
        most = Math.max(most, reach[r * GRID + c]);
    return most;
  });
}

/** Distance of two points. */
export const far = (a: ArrayLike<number>, b: ArrayLike<number>): number =>
  Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
/** Middle of the box around points. */
function middleOf(points: readonly number[]): [number, number, number] {
  const out: [number, number, number] = [0, 0, 0];
  for (let k = 0; k < 3; k++) {
    let low = Infinity,
      high = -Infinity;
    for (let i = k; i < points.length; i += 3) {
      low = Math.min(low, points[i]);
      high = Math.max(high, points[i]);
    }
    out[k] = (low + high) / 2;
  }
  return out;
}
const reachOf = (points: readonly number[]): number => {
  const middle = middleOf(points);
  let most = 0;
  for (let i = 0; i < points.length; i += 3) most = Math.max(most, far(points.slice(i, i + 3), middle));
  return most;
};

/** Points of each piece that hangs together. */
function piecesOf(part: Part, rest: Float32Array): number[][] {
  const { points, pointOf } = weldByPlace(rest),
    pieces = hangingTogether(trianglesOf(part.prim), pointOf, points),
    out = new Map<number, number[]>();
  for (let v = 0; v < pointOf.length; v++) {
    const list = out.get(pieces[v]) ?? [];
    list.push(rest[v * 3], rest[v * 3 + 1], rest[v * 3 + 2]);
    out.set(pieces[v], list);
  }
  return [...out.values()].filter((points) => points.length > 30);
}

/** How much a place lacks of lying clear of the ball, metres; nothing where it does, or where the ball has no vertex. */
export function depthAt({ middle, radius, reach }: Eyeball, place: ArrayLike<number>): number {
  const x = place[0] - middle[0],
    y = place[1] - middle[1],
    z = place[2] - middle[2],
    r = Math.hypot(x, y, z);
  if (r > radius + CLEAR || r < 0.5 * radius) return 0;
  const field = fieldOf(x, y, z, r),
    out = field < 0 ? 0 : reach[field];
  return out ? Math.max(0, out + CLEAR - r) : 0;
}
