import type { Document } from '@gltf-transform/core';
import { createDeformer, type Deformer, type Eyeball, eyeballs, type Part } from '../../character/index.ts';
import { RayTree, turnOf, unit, type Vec3 } from '../../geometry/index.ts';

export type Vector = Vec3;

/** A place on the skin: three of the deformer's vertices, and their shares. */
export interface OnLid {
  corners: [number, number, number];
  shares: Vector;
}

/** What is seen of an eyeball between its lids. */
export interface Opening {
  ball: Eyeball;
  /** The middle of what is seen, from the ball's middle. */
  axis: Vector;
  /** The edge of the lids around it, seen from the front against the clock, from the figure's left on. */
  margin: OnLid[];
}

/** A figure at rest with what eyes need of it. */
export interface Gaze {
  deformer: Deformer;
  rest: Float32Array;
  /** Skin that lies near an eye, by the deformer's vertices. */
  skin: RayTree;
  skinCorners: Uint32Array;
  /** Eyeballs and what clear lies on them. */
  balls: RayTree;
}

/** Of some three hundred places on an eye so many have to be seen: closed ones show a slit. */
const LEAST_SEEN = 24;
/** Points around an opening. */
export const AROUND = 40;
/** Rays begin so far from the middle, in radii. */
const FROM = 1.9;
/** An eyeball is looked for down to so much of its radius. */
const OVER = 0.3;
/** From so far ahead an eye is looked at, and so far from its middle lids are looked for, in radii. */
const AWAY = 6,
  WIDEST = 2,
  /** Lids lie no further behind the middle of the ball than this. */
  DEEPEST = 0.7;

const isSkin = ({ kind }: Part): boolean => kind === 'skin' || kind === 'lips';

export function gazeOf(document: Document): Gaze {
  const deformer = createDeformer(document, ({ kind }) => ['skin', 'lips', 'eye', 'cornea'].includes(kind)),
    rest = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    cornersOf = (filter: (part: Part) => boolean) =>
      Uint32Array.from(
        deformer.ranges.flatMap(({ part, firstTriangle, triangles }) =>
          filter(part) ? [...deformer.indices.subarray(firstTriangle * 3, (firstTriangle + triangles) * 3)] : [],
        ),
      ),
    skinCorners = cornersOf(isSkin);
  return {
    deformer,
    rest,
    skin: new RayTree(rest, skinCorners),
    skinCorners,
    balls: new RayTree(
      rest,
      cornersOf((part) => !isSkin(part)),
    ),
  };
}

/** Openings of the eyes, the figure's left first; such as are closed at rest, or have no lids, are none. */
export function openingsOf(gaze: Gaze): Opening[] {
  return eyeballs(gaze.deformer, gaze.rest)
    .sort((a, b) => b.middle[0] - a.middle[0])
    .flatMap((ball) => {
      const axis = axisOf(gaze, ball),
        margin = axis && marginOf(gaze, ball, axis);
      return axis && margin ? [{ ball, axis, margin }] : [];
    });
}

/** How far from the ball's middle something lies in a direction, seen from outside; 0 where nothing does. */
export function outward(tree: RayTree, { middle, radius }: Eyeball, d: Readonly<Vector>): number {
  const from = FROM * radius,
    met = tree.ray(
      middle[0] + d[0] * from,
      middle[1] + d[1] * from,
      middle[2] + d[2] * from,
      -d[0],
      -d[1],
      -d[2],
      from - OVER * radius,
    );
  return met ? from - tree.met.distance : 0;
}

/** How the eye is looked at: from straight before it, along parallel rays. */
interface Look {
  ball: Eyeball;
  axis: Vector;
  across: Vector;
  up: Vector;
}

/** Whether skin lies before whatever of the eye is seen beside its middle, `x` to the figure's left and `y` up, metres. The hit is left in the skin's tree. */
function isCovered({ skin, balls }: Gaze, { ball, axis, across, up }: Look, x: number, y: number): boolean {
  const far = AWAY * ball.radius,
    from = (k: number) => ball.middle[k] + axis[k] * far + across[k] * x + up[k] * y,
    ray = (tree: RayTree, reach: number) =>
      tree.ray(from(0), from(1), from(2), -axis[0], -axis[1], -axis[2], reach) ? tree.met.distance : Infinity;
  // Deeper than most of the ball is the socket; towards the temple the skin lies behind its middle.
  const deepest = far + DEEPEST * ball.radius,
    reach = Math.min(deepest, ray(balls, deepest));
  return ray(skin, reach) < reach;
}

/** Straight ahead, and the middle of what is seen from there; null where hardly anything is. */
function axisOf(gaze: Gaze, ball: Eyeball): Vector | null {
  const look: Look = { ball, axis: [0, 0, 1], across: [1, 0, 0], up: [0, 1, 0] },
    step = ball.radius / 10,
    sum = [0, 0];
  let seen = 0;
  for (let i = -10; i <= 10; i++)
    for (let j = -10; j <= 10; j++) {
      if (i * i + j * j > 100 || isCovered(gaze, look, i * step, j * step)) continue;
      seen++;
      sum[0] += i * step;
      sum[1] += j * step;
    }
  if (seen < LEAST_SEEN) return null;
  const [x, y] = sum.map((total) => total / seen);
  if (isCovered(gaze, look, x, y)) return null;
  return unit([x, y, Math.sqrt(Math.max(ball.radius * ball.radius * 0.1, ball.radius * ball.radius - x * x - y * y))]);
}

/** Directions around an axis: `across` towards the figure's left, `up` upwards. */
function lookAlong(ball: Eyeball, axis: Vector): Look {
  const across = unit([axis[2], 0, -axis[0]]) as Vector;
  return {
    ball,
    axis,
    across,
    up: [
      axis[1] * across[2] - axis[2] * across[1],
      axis[2] * across[0] - axis[0] * across[2],
      axis[0] * across[1] - axis[1] * across[0],
    ],
  };
}

/** Where lids begin on the way outwards from the axis, all around; null where on some side there are none. */
function marginOf(gaze: Gaze, ball: Eyeball, axis: Vector): OnLid[] | null {
  const look = lookAlong(ball, axis),
    step = ball.radius / 60,
    margin: OnLid[] = [];
  for (let i = 0; i < AROUND; i++) {
    const { cos, sin } = turnOf((360 * i) / AROUND),
      covers = (far: number) => isCovered(gaze, look, cos * far, sin * far);
    let free = 0,
      covered = step;
    while (covered <= WIDEST * ball.radius && !covers(covered)) {
      free = covered;
      covered += step;
    }
    if (covered > WIDEST * ball.radius) return null;
    for (let halving = 0; halving < 8; halving++) {
      const middle = (free + covered) / 2;
      if (covers(middle)) covered = middle;
      else free = middle;
    }
    covers(covered);
    const { triangle, v, w } = gaze.skin.met,
      t = triangle * 3;
    margin.push({
      corners: [gaze.skinCorners[t], gaze.skinCorners[t + 1], gaze.skinCorners[t + 2]],
      shares: [1 - v - w, v, w],
    });
  }
  return margin;
}

/** Where a place on the skin is, with vertices at `positions`. */
export function placeOf({ corners, shares }: OnLid, positions: Float32Array): Vector {
  const out: Vector = [0, 0, 0];
  for (let c = 0; c < 3; c++) for (let k = 0; k < 3; k++) out[k] += shares[c] * positions[corners[c] * 3 + k];
  return out;
}
