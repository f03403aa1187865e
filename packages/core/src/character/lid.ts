import { LOOKED, type Shares, weldByPlace } from '../geometry/index.ts';
import { depthAt, type Eyeball, far } from './eyeball.ts';

type Point = [number, number, number];

/** Skin this near to an eyeball at rest, in shares of its radius, may come to lie over it. */
const NEAR = 2.5;
/** Skin as near as this, in shares of its radius, lies on it. */
const ON = 1.3;
/** A morph that moves less than this there is none of the lids', metres. */
const STILL = 5e-4;
/** A place deeper in the ball than this at rest is the back of its socket, metres. */
const INSIDE = 5e-4;
/** A place of a lid that moves as far as this is closing, metres. */
const CLOSES = 0.001;
/** Rounds in which a lid is lifted. */
const ROUNDS = 6;

/** What of a part may come to lie over an eyeball. */
export interface Lid {
  rest: Float32Array;
  /** Corners of its triangles, three each. */
  triangles: Uint32Array;
  /** Vertices at one place have one number: they are lifted as one, so that no seam opens. */
  pointOf: Uint32Array;
}

/** @param indices corners of the part's triangles; @param rest xyz of its vertices as they stand, metres */
export function lidOver(ball: Eyeball, indices: ArrayLike<number>, rest: Float32Array): Lid {
  const triangles: number[] = [],
    isNear = (v: number) => far(rest.subarray(v * 3, v * 3 + 3), ball.middle) < NEAR * ball.radius;
  for (let t = 0; t + 2 < indices.length; t += 3)
    if (isNear(indices[t]) || isNear(indices[t + 1]) || isNear(indices[t + 2]))
      triangles.push(indices[t], indices[t + 1], indices[t + 2]);
  return { rest, triangles: Uint32Array.from(triangles), pointOf: weldByPlace(rest).pointOf };
}

/**
 * Moves whatever of a lid dips into the ball outwards by what is missing, in place: lifting one triangle lifts its neighbours,
 * so in rounds. What lies in the ball at rest stays, and so does a lid that hardly moves.
 * @param delta xyz by vertex of the part, metres
 * @returns the vertices that were lifted
 */
export function liftOff(lid: Lid, delta: Float32Array, ball: Eyeball): Set<number> {
  const touched = new Set<number>();
  if (!lid.triangles.some((v) => far(delta.subarray(v * 3, v * 3 + 3), [0, 0, 0]) > STILL) || !closes(lid, delta, ball))
    return touched;
  for (let round = 0; round < ROUNDS; round++) {
    const missing = missingAt(lid, delta, ball);
    if (!missing.size) break;
    lid.pointOf.forEach((point, v) => {
      const by = missing.get(point);
      if (!by) return;
      touched.add(v);
      for (let k = 0; k < 3; k++) delta[v * 3 + k] += by[k];
    });
  }
  return touched;
}

/** Whether a lid goes towards the middle of what is seen of a ball on the whole: one that a brow draws up uncovers it. */
function closes({ rest, triangles }: Lid, delta: Float32Array, { middle, radius }: Eyeball): boolean {
  let sum = 0;
  for (const v of triangles) {
    const off = [0, 1, 2].map((k) => rest[v * 3 + k] - middle[k]);
    if (Math.hypot(...off) > ON * radius) continue;
    for (let k = 0; k < 3; k++) sum += delta[v * 3 + k] * ((k === 2 ? radius : 0) - off[k]);
  }
  return sum > 0;
}

/** For each point of a lid how far it has to be moved outwards; of several triangles that ask the most. */
function missingAt(lid: Lid, delta: Float32Array, ball: Eyeball): Map<number, Point> {
  const out = new Map<number, Point>();
  for (let t = 0; t < lid.triangles.length; t += 3) {
    const deepest = deepestOf(lid, t, delta, ball);
    if (!deepest) continue;
    const { depth, shares, at } = deepest,
      way = [0, 1, 2].map((k) => at[k] - ball.middle[k]),
      length = Math.hypot(...way) || 1,
      squares = shares.reduce((sum, share) => sum + share * share, 0);
    // The smallest movement of the corners that brings the place out by what is missing.
    shares.forEach((share, c) => {
      const by = (depth * share) / squares,
        point = lid.pointOf[lid.triangles[t + c]],
        before = out.get(point);
      if (by > (before ? Math.hypot(...before) : 0)) out.set(point, way.map((x) => (x / length) * by) as Point);
    });
  }
  return out;
}

/** The place of a triangle that lies deepest in the ball, of those that are clear of it at rest; null where none does. */
function deepestOf(lid: Lid, t: number, delta: Float32Array, ball: Eyeball) {
  let found: { depth: number; shares: Shares; at: Point } | null = null;
  for (const shares of LOOKED) {
    const at = placeOf(lid, t, shares, delta),
      whole = depthAt(ball, at);
    if (whole <= (found?.depth ?? 0)) continue;
    // What dips in at rest may go on doing so while it hardly moves.
    const from = placeOf(lid, t, shares, null),
      before = depthAt(ball, from),
      depth = whole - before * Math.max(0, 1 - far(at, from) / CLOSES);
    if (depth <= (found?.depth ?? 0) || before > INSIDE) continue;
    found = { depth, shares, at };
  }
  return found;
}

function placeOf({ rest, triangles }: Lid, t: number, shares: Shares, delta: Float32Array | null): Point {
  const out: Point = [0, 0, 0];
  for (let c = 0; c < 3; c++) {
    const v = triangles[t + c] * 3;
    for (let k = 0; k < 3; k++) out[k] += shares[c] * (rest[v + k] + (delta ? delta[v + k] : 0));
  }
  return out;
}
