import { bendVertex, type Influences } from '../character/index.ts';
import { identity, invertAffine, multiply } from '../geometry/index.ts';
import { poseSkeleton, RANGE_OF_MOTION } from '../rig/index.ts';
import type { Correspondence, Followed, Skin, Wrapped } from '../wrap/index.ts';

/** Joints that a vertex follows at most, when weights come from three corners. */
const MOST = 8;
/** Points that are looked at, at most. */
const LOOKED_AT = 6000;
/** Points that lie inside aren't seen: where they are trusted less, nobody looks. */
const SEEN = 0.5;

/**
 * Weights of the body's vertices as the places that they lie on have them, by the character's joints; where a vertex lies on
 * nothing, its own.
 * @param own of the body, by the character's joints
 */
export function carriedInfluences(
  { mesh, deformer }: Skin,
  own: Influences,
  other: Skin,
  at: Correspondence,
): Influences {
  const n = deformer.vertices,
    out = { perVertex: MOST, joints: new Uint16Array(n * MOST), weights: new Float32Array(n * MOST) },
    sums = new Map<number, number>();
  for (let v = 0; v < n; v++) {
    const p = mesh.pointOf[v],
      t = at.triangle[p] * 3;
    sums.clear();
    if (t < 0)
      for (let k = v * own.perVertex; k < (v + 1) * own.perVertex; k++) add(sums, own.joints[k], own.weights[k]);
    else {
      const shares = [1 - at.share[p * 2] - at.share[p * 2 + 1], at.share[p * 2], at.share[p * 2 + 1]],
        { joints, weights, perVertex } = other.followed;
      shares.forEach((share, c) => {
        const corner = other.mesh.vertexOf[other.mesh.corners[t + c]];
        let sum = 0;
        for (let k = corner * perVertex; k < (corner + 1) * perVertex; k++) sum += weights[k];
        for (let k = corner * perVertex; k < (corner + 1) * perVertex; k++)
          if (sum > 0) add(sums, joints[k], (share * weights[k]) / sum);
      });
    }
    const strongest = [...sums].sort((a, b) => b[1] - a[1] || a[0] - b[0]).slice(0, MOST),
      total = strongest.reduce((sum, [, weight]) => sum + weight, 0);
    strongest.forEach(([joint, weight], k) => {
      out.joints[v * MOST + k] = joint;
      out.weights[v * MOST + k] = weight / total;
    });
  }
  return out;
}

function add(sums: Map<number, number>, joint: number, weight: number): void {
  if (weight > 0) sums.set(joint, (sums.get(joint) ?? 0) + weight);
}

/** Whose weights a skin gets, and how far it bends off what it took the place of with either, RMS in metres. */
export interface Weighed {
  influences: Influences;
  by: 'figure' | 'source';
  off: { figure: number; source: number };
}
/** The figure's own weights go with its joints and correctives: the source's are better where they bend so much more alike. */
const TIMES = 1.25;
const MORE = 5e-4;

/** @param asked who says so; `nearer` takes the figure's own unless the source's bend clearly more like it */
export function weighed(
  body: Skin,
  own: Influences,
  wrapped: Pick<Wrapped, 'places' | 'trust'>,
  other: Skin,
  at: Correspondence,
  asked: 'nearer' | 'figure' | 'source',
): Weighed {
  const carried = carriedInfluences(body, own, other, at),
    [figure, source] = bendsOff(body, wrapped, other, at, [own, carried]),
    by = asked !== 'nearer' ? asked : figure > source * TIMES && figure - source > MORE ? 'source' : 'figure';
  return { influences: by === 'source' ? carried : own, by, off: { figure, source } };
}

/**
 * How far, in the poses of the range of motion, a body's points come to lie from where the places that they lie on go: RMS in
 * metres for each of several ways to weigh it. What lies inside doesn't count, and how far off a point lies at rest neither.
 * @param ways weights of the body's vertices, by the character's joints
 */
export function bendsOff(
  { mesh, deformer }: Skin,
  { places, trust }: Pick<Wrapped, 'places' | 'trust'>,
  other: Skin,
  at: Correspondence,
  ways: readonly Influences[],
): number[] {
  const seen = [...Array(mesh.points).keys()].filter((p) => trust[p] >= SEEN && at.triangle[p] >= 0),
    every = Math.max(1, Math.ceil(seen.length / LOOKED_AT)),
    looked = seen.filter((_, i) => i % every === 0),
    positions = new Float32Array(deformer.vertices * 3),
    squares = ways.map(() => 0),
    theirs = influencesOfAll(other.followed),
    [bent, corner] = [new Float64Array(3), new Float64Array(3)];
  for (let v = 0; v < deformer.vertices; v++)
    positions.set(places.subarray(mesh.pointOf[v] * 3, mesh.pointOf[v] * 3 + 3), v * 3);
  let count = 0;
  for (const pose of RANGE_OF_MOTION) {
    if (!pose.turns.some(({ role }) => other.roles.has(role))) continue;
    const matrices = fromRest(other.skeleton, poseSkeleton(other.skeleton, other.roles, pose));
    for (const p of looked) {
      const v = mesh.vertexOf[p],
        shares = [1 - at.share[p * 2] - at.share[p * 2 + 1], at.share[p * 2], at.share[p * 2 + 1]],
        goes = [0, 0, 0];
      shares.forEach((share, c) => {
        const from = other.mesh.vertexOf[other.mesh.corners[at.triangle[p] * 3 + c]];
        bendVertex(corner, matrices, theirs, from, other.rest);
        for (let k = 0; k < 3; k++) goes[k] += share * (corner[k] - other.rest[from * 3 + k]);
      });
      ways.forEach((way, w) => {
        bendVertex(bent, matrices, way, v, positions);
        for (let k = 0; k < 3; k++) squares[w] += (bent[k] - positions[v * 3 + k] - goes[k]) ** 2;
      });
      count++;
    }
  }
  return squares.map((sum) => Math.sqrt(sum / Math.max(1, count)));
}

const influencesOfAll = ({ perVertex, joints, weights }: Followed): Influences => ({
  perVertex,
  joints: Uint16Array.from(joints),
  weights: Float32Array.from(weights),
});

/** How each joint of a pose has moved what follows it since rest, 16 each. */
function fromRest({ global, joints }: Skin['skeleton'], posed: Float64Array): Float64Array {
  const out = new Float64Array(joints.length * 16),
    back = new Float64Array(16);
  for (let j = 0; j < joints.length; j++)
    if (invertAffine(back, 0, global, j * 16)) multiply(out, j * 16, posed, j * 16, back, 0);
    else identity(out, j * 16);
  return out;
}
