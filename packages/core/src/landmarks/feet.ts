import { dot, middleOf } from '../geometry/index.ts';
import { type Landmark, type Point, type Side, SIDES } from './landmark.ts';
import type { Standing } from './standing.ts';

/** Shares of the height: the sole's thickness, and how high a shoe's ends are looked for. */
const SOLE = 0.035,
  ENDS = 0.06;

/** Which way a foot points, level, and where it ends. */
export interface Foot {
  forward: Point;
  heel: Point;
  toe: Point;
}

/**
 * Both feet: the sole's principal direction, away from the ankle, and the foremost and hindmost vertices along it.
 * @returns null where a leg ends in no sole
 */
export function findFeet(standing: Standing, positions: Float32Array): Record<Side, Foot> | null {
  const { voxels, height, legs, floor } = standing,
    out: Partial<Record<Side, Foot>> = {};
  for (const side of SIDES) {
    const cells = Array.from(legs[side], (at) => middleOf(voxels, at)),
      sole = cells.filter((p) => p[1] < floor + SOLE * height),
      shin = cells.filter((p) => p[1] > floor + 0.1 * height && p[1] < floor + 0.16 * height);
    if (sole.length < 5 || !shin.length) return null;
    const m = meanOf(sole),
      above = meanOf(shin);
    let xx = 0,
      xz = 0,
      zz = 0;
    for (const p of sole) {
      xx += (p[0] - m[0]) ** 2;
      xz += (p[0] - m[0]) * (p[2] - m[2]);
      zz += (p[2] - m[2]) ** 2;
    }
    // The larger eigenvector of the 2 × 2 covariance; either of two forms, whichever doesn't vanish.
    const half = (zz - xx) / 2,
      root = Math.sqrt(half * half + xz * xz);
    let forward: Point = half >= 0 ? [xz, 0, half + root] : [root - half, 0, xz];
    const long = Math.sqrt(dot(forward, forward)) || 1;
    forward = [forward[0] / long, 0, forward[2] / long];
    if (dot(forward, [m[0] - above[0], 0, m[2] - above[2]]) < 0) forward = [-forward[0], 0, -forward[2]];
    const ends = endsAlong(standing, side, positions, forward, m);
    if (!ends) return null;
    out[side] = { forward, ...ends };
  }
  return out as Record<Side, Foot>;
}

export const feetLandmarks = (feet: Record<Side, Foot>): Landmark[] =>
  SIDES.flatMap((side) => [
    { name: `${side} heel`, at: feet[side].heel, confidence: 0.9 },
    { name: `${side} toe`, at: feet[side].toe, confidence: 0.9 },
  ]);

function endsAlong(
  { floor, height, middle }: Standing,
  side: Side,
  positions: Float32Array,
  forward: Point,
  m: Point,
): { heel: Point; toe: Point } | null {
  let toe: Point | null = null,
    heel: Point | null = null,
    most = -Infinity,
    least = Infinity;
  for (let i = 0; i < positions.length; i += 3) {
    const p: Point = [positions[i], positions[i + 1], positions[i + 2]];
    if (p[1] > floor + ENDS * height || p[0] > middle[0] !== (side === 'left')) continue;
    const along = (p[0] - m[0]) * forward[0] + (p[2] - m[2]) * forward[2];
    if (along > most) {
      most = along;
      toe = p;
    }
    if (along < least) {
      least = along;
      heel = p;
    }
  }
  return toe && heel && { toe, heel };
}

function meanOf(points: readonly Point[]): Point {
  const sum: Point = [0, 0, 0];
  for (const p of points) for (let k = 0; k < 3; k++) sum[k] += p[k] / points.length;
  return sum;
}
