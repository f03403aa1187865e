import type { Influences } from '../character/index.ts';
import { cotangentLaplacian, TriangleTree, vertexNormals, weldByPlace } from '../geometry/index.ts';
import { inpaintWeights, type Rows } from './inpaint.ts';

/** A surface in the rest pose, metres; normals follow from it. */
export interface WeightSurface {
  positions: Float32Array;
  indices: Uint32Array;
}
/** Where weights come from; joints by the numbers that the receiver shall have. */
export interface WeightDonor extends WeightSurface {
  influences: Influences;
}

export interface TransferOptions {
  /** How far a surface may lie from the one it takes its weights from, metres. */
  reach: number;
  /** Largest angle between the two surfaces' normals, degrees. */
  angle: number;
  /** Most influences of a vertex. */
  most: number;
  /** Throws where the work shall end. */
  stop?(): void;
}
export const TRANSFER_DEFAULTS: TransferOptions = Object.freeze({ reach: 0.06, angle: 40, most: 8 });

export interface Transferred {
  influences: Influences;
  /** Points that lay on the donor, that were filled between those, and that took the nearest because nothing else was near. */
  matched: number;
  filled: number;
  nearest: number;
}

/** An inner layer faces its body; it is taken at its word only this near, as a share of the reach. */
const FACING = 0.25;

/**
 * Weights of one surface carried to another: the closest point's where the two lie near each other and face the same
 * way, everything else filled in smoothly between (Abdrashitov et al. 2023). Vertices at one place get the same.
 * @throws Error where donor and influences don't belong together
 */
export function transferWeights(
  donor: WeightDonor,
  receiver: WeightSurface,
  options: TransferOptions = TRANSFER_DEFAULTS,
): Transferred {
  const count = receiver.positions.length / 3,
    {
      influences: { perVertex },
    } = donor;
  if (donor.influences.joints.length !== (donor.positions.length / 3) * perVertex)
    throw new Error(
      `transferWeights: expected ${(donor.positions.length / 3) * perVertex} influences, received ${donor.influences.joints.length}`,
    );
  const mesh = cotangentLaplacian(receiver.positions, receiver.indices),
    first = firstOf(mesh.pointOf, mesh.points),
    rows: Rows = new Array(mesh.points).fill(null);
  const tree = new TriangleTree(donor.positions, donor.indices),
    faces = { donor: smoothNormals(donor), receiver: smoothNormals(receiver) },
    least = Math.cos((options.angle * Math.PI) / 180);
  let matched = 0;
  for (let point = 0; point < mesh.points; point++) {
    const v = first[point] * 3,
      distance = tree.closest(receiver.positions[v], receiver.positions[v + 1], receiver.positions[v + 2]);
    if (!(distance <= options.reach)) continue;
    const agree = agreement(tree, donor, faces, v);
    if (agree < least && !(-agree >= least && distance <= options.reach * FACING)) continue;
    const row = rowAt(tree, donor);
    if (row.size) {
      rows[point] = row;
      matched++;
    }
  }
  options.stop?.();
  const alone = inpaintWeights(mesh, rows, options.stop);
  for (const point of alone) {
    const v = first[point] * 3;
    if (tree.closest(receiver.positions[v], receiver.positions[v + 1], receiver.positions[v + 2]) < Infinity)
      rows[point] = rowAt(tree, donor);
  }
  const influences: Influences = {
    perVertex: options.most,
    joints: new Uint16Array(count * options.most),
    weights: new Float32Array(count * options.most),
  };
  for (let vertex = 0; vertex < count; vertex++) putStrongest(rows[mesh.pointOf[vertex]], influences, vertex);
  return { influences, matched, filled: mesh.points - matched - alone.length, nearest: alone.length };
}

/** Normals that don't know of texture seams: one for each place. */
function smoothNormals({ positions, indices }: WeightSurface): Float32Array {
  const { points, pointOf } = weldByPlace(positions),
    welded = new Float32Array(points * 3);
  for (let v = 0; v < pointOf.length; v++)
    for (let k = 0; k < 3; k++) welded[pointOf[v] * 3 + k] = positions[v * 3 + k];
  const normals = vertexNormals(welded, indices instanceof Uint32Array ? indices.map((v) => pointOf[v]) : indices),
    out = new Float32Array(positions.length);
  for (let v = 0; v < pointOf.length; v++) for (let k = 0; k < 3; k++) out[v * 3 + k] = normals[pointOf[v] * 3 + k];
  return out;
}

function firstOf(pointOf: Uint32Array, points: number): Uint32Array {
  const first = new Uint32Array(points);
  for (let v = pointOf.length - 1; v >= 0; v--) first[pointOf[v]] = v;
  return first;
}

/** Cosine between a receiver's normal and the donor's at the tree's last hit. */
function agreement(
  { hit }: TriangleTree,
  { indices }: WeightDonor,
  normals: { donor: Float32Array; receiver: Float32Array },
  v: number,
): number {
  const shares = [1 - hit.v - hit.w, hit.v, hit.w];
  let x = 0,
    y = 0,
    z = 0;
  for (let k = 0; k < 3; k++) {
    const n = indices[hit.triangle * 3 + k] * 3;
    x += shares[k] * normals.donor[n];
    y += shares[k] * normals.donor[n + 1];
    z += shares[k] * normals.donor[n + 2];
  }
  return (
    (x * normals.receiver[v] + y * normals.receiver[v + 1] + z * normals.receiver[v + 2]) / (Math.hypot(x, y, z) || 1)
  );
}

/** The donor's weights at the tree's last hit, summing to one; empty where it has none there. */
function rowAt(
  { hit }: TriangleTree,
  { indices, influences: { perVertex, joints, weights } }: WeightDonor,
): Map<number, number> {
  const row = new Map<number, number>(),
    shares = [1 - hit.v - hit.w, hit.v, hit.w];
  let total = 0;
  for (let k = 0; k < 3; k++) {
    const v = indices[hit.triangle * 3 + k];
    for (let i = v * perVertex; i < (v + 1) * perVertex; i++) {
      const w = weights[i] * shares[k];
      if (w > 0) {
        row.set(joints[i], (row.get(joints[i]) ?? 0) + w);
        total += w;
      }
    }
  }
  for (const [joint, w] of row) row.set(joint, w / total);
  return row;
}

function putStrongest(
  row: ReadonlyMap<number, number> | null,
  { perVertex, joints, weights }: Influences,
  vertex: number,
): void {
  if (!row) return;
  const kept = [...row].sort((a, b) => b[1] - a[1] || a[0] - b[0]).slice(0, perVertex),
    total = kept.reduce((sum, [, w]) => sum + w, 0);
  kept.forEach(([joint, w], k) => {
    joints[vertex * perVertex + k] = joint;
    weights[vertex * perVertex + k] = w / total;
  });
}
