import { far } from '../character/index.ts';
import {
  type Branch,
  branchesOf,
  cross,
  depthsOf,
  distancesFrom,
  dot,
  middleOf,
  sub,
  unit,
  voxelAt,
  type Voxels,
  voxelise,
} from '../geometry/index.ts';
import type { Arm } from './arms.ts';
import { slicesOf } from './sections.ts';
import { FINGERS, type Finger, type Point, towards } from './landmark.ts';
import { ownVertices } from './named-vertices.ts';
import type { Standing } from './standing.ts';

/** A voxel of a hand, and what a finger leads at least beyond where it comes free, shares of the height. */
const CELL = 0.00125,
  LEAST_FINGER = 0.011;
/** The cut at the wrist is closed by a disc: its radius and its corners. */
const DISC = 0.034,
  CORNERS = 24;
/** What ends nearer to the wrist is a bump of the palm; fingertips side by side lie no farther apart. Shares of the height. */
const BUMP = 0.048,
  NEXT = 0.04;
/** A slice of a finger, and the longest that one is, shares of the height. */
const SLICE = 0.003,
  LONGEST = 0.045;
/** A tip is the vertex that lies farthest along its finger, so near to the farthest voxel. */
const NEAR_TIP = 0.006;

export interface Hand {
  tips: Record<Finger, Point>;
  /** Of each finger from its tip to where it comes free: middles of its sections. */
  lines: Record<Finger, Point[]>;
  /** From the wrist through the hand to the farthest tip, metres. */
  long: number;
  /** How freely the least free of them stands, metres. */
  free: number;
}

/**
 * Finger tips by how the hand branches away from the wrist. The thumb is the one that stands most apart and nearest to the
 * wrist; the others follow by how far they are from it.
 * @returns null where five don't come free, or not side by side: a fist, fingers grown together, a mitten
 */
export function findHand(standing: Standing, arm: Arm, positions: Float32Array, indices: Uint32Array): Hand | null {
  const { height, voxels: body } = standing,
    { wrist, along } = arm,
    inArm = new Set(arm.cells);
  const isHand = (v: number): boolean => {
    const p: Point = [positions[v * 3], positions[v * 3 + 1], positions[v * 3 + 2]],
      a = dot(sub(p, wrist), along);
    return a > -0.02 * height && inArm.has(voxelAt(body, p[0], p[1], p[2]));
  };
  const own: number[] = [],
    known = new Map<number, boolean>(),
    touches = (v: number) => {
      let found = known.get(v);
      if (found === undefined) known.set(v, (found = isHand(v)));
      return found;
    };
  for (let t = 0; t < indices.length; t += 3) {
    const [a, b, c] = [indices[t], indices[t + 1], indices[t + 2]];
    if (touches(a) || touches(b) || touches(c)) own.push(a, b, c);
  }
  if (own.length < 60) return null;
  const centre = towards(wrist, along, -0.004 * height),
    { points, corners } = closed(positions, own, centre, along, DISC * height),
    low = [Infinity, Infinity, Infinity],
    high = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < points.length; i++) {
    low[i % 3] = Math.min(low[i % 3], points[i]);
    high[i % 3] = Math.max(high[i % 3], points[i]);
  }
  const size = CELL * height,
    longest = Math.max(high[0] - low[0], high[1] - low[1], high[2] - low[2]),
    voxels = voxelise(points, corners, longest / size, 2);
  // What lies behind the disc is no hand; nor is the disc's rim.
  let source = -1,
    nearest = Infinity;
  for (let i = 0; i < voxels.solid.length; i++) {
    if (!voxels.solid[i]) continue;
    const p = middleOf(voxels, i),
      a = dot(sub(p, centre), along);
    if (a < -0.5 * size || (a < 1.5 * size && far(p, centre) > 0.026 * height)) {
      voxels.solid[i] = 0;
      continue;
    }
    const off = far(p, towards(centre, along, 2 * size));
    if (off < nearest) {
      nearest = off;
      source = i;
    }
  }
  if (source < 0) return null;
  const tenth = voxels.size / 10,
    distances = distancesFrom(voxels, source),
    branches = branchesOf(voxels, distances, Math.round((LEAST_FINGER * height) / tenth)).filter(
      ({ tip }) => far(middleOf(voxels, tip), wrist) > BUMP * height,
    ),
    depths = depthsOf(voxels),
    apart = Math.max(...branches.slice(1, 5).map(({ parts }) => parts)),
    others = new Set(branches.slice(1, 5).flatMap(({ cells }) => [...cells])),
    tips = branches.slice(0, 5).map((branch) => ({
      at: middleOf(voxels, branch.tip),
      line: slicesOf(
        { voxels, depths },
        // The farthest one's cells are those of the whole hand.
        branch.parts
          ? branch.cells
          : branch.cells.filter(
              (cell) => distances[cell] > Math.max(apart, branch.far - (LONGEST * height) / tenth) && !others.has(cell),
            ),
        (cell) => Math.floor(((branch.far - distances[cell]) * tenth) / (SLICE * height)),
      ).map(({ at }) => at),
      along: alongFinger(branch, voxels, distances, height),
      // The farthest one meets nobody farther: it is as free as the next.
      free: branch.parts ? (branch.far - branch.parts) * tenth : Infinity,
    }));
  if (tips.length < 5) return null;
  const scored = tips
    .map((tip) => ({
      tip,
      score:
        Math.min(...tips.filter((other) => other !== tip).map((other) => far(other.at, tip.at))) -
        0.7 * dot(sub(tip.at, wrist), along),
    }))
    .sort((a, b) => b.score - a.score);
  const thumb = scored[0].tip,
    rest = tips.filter((tip) => tip !== thumb).sort((a, b) => far(a.at, thumb.at) - far(b.at, thumb.at)),
    ordered = [thumb, ...rest];
  if (rest.some((tip, n) => n > 0 && far(tip.at, rest[n - 1].at) > NEXT * height)) return null;
  return {
    tips: Object.fromEntries(
      ordered.map((tip, n) => [FINGERS[n], onSkin(tip.at, tip.along, positions, own, NEAR_TIP * height)]),
    ) as Record<Finger, Point>,
    // Slices at both ends lie askew.
    lines: Object.fromEntries(ordered.map((tip, n) => [FINGERS[n], [tip.at, ...tip.line.slice(1, -1)]])) as Record<
      Finger,
      Point[]
    >,
    long: branches[0].far * tenth,
    free: Math.min(...tips.map(({ free }) => free)),
  };
}

/** The hand's triangles by vertices of their own, and a disc over the cut at the wrist, so that no flood comes in. */
function closed(positions: Float32Array, own: readonly number[], centre: Point, along: Point, radius: number) {
  const { points, corners } = ownVertices(positions, own);
  const level: Point = Math.abs(along[1]) < 0.9 ? [0, 1, 0] : [1, 0, 0],
    a = unit(towards(level, along, -dot(level, along))),
    b = cross(along, a),
    first = points.length / 3;
  points.push(...centre);
  // A square turned four times by a rotation of 15° each: no sine is asked for.
  let [c, s] = [1, 0];
  for (let k = 0; k < CORNERS; k++) {
    points.push(...towards(towards(centre, a, radius * c), b, radius * s));
    corners.push(first, first + 1 + k, first + 1 + ((k + 1) % CORNERS));
    [c, s] = [c * COS - s * SIN, s * COS + c * SIN];
  }
  return { points: Float32Array.from(points), corners: Uint32Array.from(corners) };
}
/** Of 15°. */
const COS = 0.9659258262890683,
  SIN = 0.25881904510252074;

/** Which way a finger points: to its tip from the middle of what lies a joint further back. */
function alongFinger(branch: Branch, voxels: Voxels, distances: Int32Array, height: number): Point {
  const tip = middleOf(voxels, branch.tip),
    tenth = voxels.size / 10,
    sum: Point = [0, 0, 0];
  for (const cell of branch.cells) {
    const back = (branch.far - distances[cell]) * tenth;
    if (back > JOINT[1] * height) break;
    const p = middleOf(voxels, cell);
    // The farthest finger's cells are those of all: others' lie aside.
    if (back > JOINT[0] * height && far(p, tip) < 1.2 * JOINT[1] * height)
      for (let k = 0; k < 3; k++) sum[k] += p[k] - tip[k];
  }
  return unit(sum.map((x) => -x));
}
/** Shares of the height. */
const JOINT = [0.007, 0.013] as const;

/** The vertex near a tip that lies farthest along its finger. */
function onSkin(tip: Point, out: Point, positions: Float32Array, own: readonly number[], near: number): Point {
  let best = tip,
    most = -Infinity;
  for (const v of own) {
    const p: Point = [positions[v * 3], positions[v * 3 + 1], positions[v * 3 + 2]];
    if (far(p, tip) > near) continue;
    const along = dot(sub(p, tip), out);
    if (along > most) {
      most = along;
      best = p;
    }
  }
  return best;
}
