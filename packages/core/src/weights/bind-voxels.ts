import type { Influences } from '../character/index.ts';
import { apart } from '../geometry/index.ts';
import { distancesThrough, voxelAt, voxelise } from '../geometry/index.ts';

/** A joint as binding sees it: the segment from where it turns to where its bone ends; a broad one has several. */
export interface Bone {
  from: readonly number[];
  to: readonly number[];
  also?: readonly Bone[];
}

export interface BindOptions {
  /** Voxels along the longest side. */
  across?: number;
  /** Influences per vertex. */
  most?: number;
  /** How fast influence falls with distance. */
  falloff?: number;
  /** Passes of smoothing over the mesh. */
  smooth?: number;
  /** How far a vertex may follow a bone: 0 not at all, 1 as near as it lies. */
  allowed?: (vertex: number, bone: number) => number;
  progress?: (fraction: number) => void;
}

/** Edges shorter than this, in voxels, tell nothing apart. */
const SPOT = 0.03;

/**
 * Weights for any triangle soup: distances from each bone are measured through the solid voxels of the body (geodesic
 * voxel binding, Dionne and de Lasa 2013), so that an arm beside the flank doesn't pull it and separate shells bind
 * through the body they lie on; influence falls with a power of distance and is smoothed over the mesh.
 * @param positions xyz of every vertex, standing as the bones do
 */
export function bindThroughVoxels(
  positions: Float32Array,
  indices: Uint32Array,
  bones: readonly Bone[],
  options: BindOptions = {},
): Influences {
  const { across = 150, most = 8, falloff = 6, smooth = 4, allowed = () => 1, progress = () => {} } = options;
  const voxels = voxelise(positions, indices, across),
    count = positions.length / 3,
    { size } = voxels;
  const cell = new Int32Array(count);
  for (let v = 0; v < count; v++)
    cell[v] = voxelAt(voxels, positions[v * 3], positions[v * 3 + 1], positions[v * 3 + 2]);
  const reach = 0.45 * Math.max(...voxels.dims) * size;
  const distance = bones.map(() => new Float32Array(count));
  const field = new Uint16Array(voxels.solid.length);
  bones.forEach((bone, b) => {
    progress(b / bones.length);
    distance[b].fill(Infinity);
    for (const segment of [bone, ...(bone.also ?? [])]) {
      distancesThrough(voxels, segment.from, segment.to, reach, field);
      for (let v = 0; v < count; v++) {
        const through = field[cell[v]];
        if (through === 65535 || !allowed(v, b)) continue;
        // Within the grid's own coarseness the straight distance tells more.
        const straight = toSegment(positions, v * 3, segment),
          around = (through / 10) * size;
        distance[b][v] = Math.min(distance[b][v], around < straight + 1.8 * size ? straight : around);
      }
    }
  });
  const dense = bones.map(() => new Float32Array(count));
  for (let v = 0; v < count; v++) {
    let nearest = Infinity;
    for (const column of distance) if (column[v] < nearest) nearest = column[v];
    if (!Number.isFinite(nearest)) {
      nearestByLine(bones, positions, v, dense, allowed);
      continue;
    }
    const floor = Math.max(nearest, 0.3 * size);
    for (let b = 0; b < bones.length; b++)
      if (distance[b][v] < floor * 4) dense[b][v] = (floor / Math.max(distance[b][v], floor)) ** falloff;
    for (let b = 0; b < bones.length; b++) if (dense[b][v] > 0) holdBack(bones, positions, v, dense, b, allowed);
  }
  // A seam has several vertices in one place: they are smoothed as one, or it would tear.
  const first = oneSpot(positions, indices, firstAtPlace(positions), SPOT * size),
    welded = indices.map((corner) => first[corner]);
  smoothOver(dense, count, welded, smooth);
  for (const column of dense) for (let v = 0; v < count; v++) if (first[v] !== v) column[v] = column[first[v]];
  return strongest(dense, count, most);
}

/** Vertices joined by edges shorter than `near` stand for one: folds finer than that would be stretched by the least change of weights. `first` says what is one already; changed and returned. */
function oneSpot(positions: Float32Array, indices: Uint32Array, first: Uint32Array, near: number): Uint32Array {
  const find = (v: number): number => {
    let at = v;
    while (first[at] !== at) at = first[at] = first[first[at]];
    return at;
  };
  for (let t = 0; t < indices.length; t += 3)
    for (let e = 0; e < 3; e++) {
      const a = indices[t + e],
        b = indices[t + ((e + 1) % 3)];
      if (apart(positions, a, b) >= near) continue;
      const from = find(Math.max(a, b)),
        to = find(Math.min(a, b));
      // By what stands for them, so that a chain of short edges doesn't become one.
      if (from !== to && apart(positions, from, to) < near) first[Math.max(from, to)] = Math.min(from, to);
    }
  return first.map((_, v) => find(v));
}

/** A vertex that may follow a bone only so far gives what is left to the others, as they share it among themselves. */
function holdBack(
  bones: readonly Bone[],
  positions: Float32Array,
  v: number,
  dense: readonly Float32Array[],
  bone: number,
  allowed: (vertex: number, bone: number) => number,
): void {
  const share = allowed(v, bone);
  if (share >= 1) return;
  let others = 0;
  for (const column of dense) others += column[v];
  others -= dense[bone][v];
  if (!(others > 0)) {
    nearestByLine(bones, positions, v, dense, (vertex, b) => (b === bone ? 0 : allowed(vertex, b)));
    others = 1;
    dense[bone][v] = 1e3;
  }
  const own = (share * dense[bone][v]) / (dense[bone][v] + others),
    scale = (1 - own) / others;
  for (const column of dense) column[v] *= scale;
  dense[bone][v] = own;
}

/** For each vertex the first one at exactly its place. */
export function firstAtPlace(positions: Float32Array): Uint32Array {
  const out = new Uint32Array(positions.length / 3),
    known = new Map<string, number>();
  for (let v = 0; v < out.length; v++) {
    const key = `${positions[v * 3]},${positions[v * 3 + 1]},${positions[v * 3 + 2]}`,
      there = known.get(key);
    if (there === undefined) known.set(key, v);
    out[v] = there ?? v;
  }
  return out;
}

/** A shell that no bone reaches follows the bone that is nearest in a straight line. */
function nearestByLine(
  bones: readonly Bone[],
  positions: Float32Array,
  v: number,
  dense: readonly Float32Array[],
  allowed: (vertex: number, bone: number) => number,
): void {
  let best = Infinity,
    found = 0;
  bones.forEach((bone, b) => {
    const d = toSegment(positions, v * 3, bone);
    if (d < best && allowed(v, b)) {
      best = d;
      found = b;
    }
  });
  dense[found][v] = 1;
}

function toSegment(p: Float32Array, o: number, { from, to }: Bone): number {
  const u = [to[0] - from[0], to[1] - from[1], to[2] - from[2]],
    d = [p[o] - from[0], p[o + 1] - from[1], p[o + 2] - from[2]],
    l = u[0] ** 2 + u[1] ** 2 + u[2] ** 2;
  const t = l ? Math.max(0, Math.min(1, (u[0] * d[0] + u[1] * d[1] + u[2] * d[2]) / l)) : 0;
  return Math.hypot(d[0] - u[0] * t, d[1] - u[1] * t, d[2] - u[2] * t);
}

/** Each vertex takes on half of what its neighbours have, `rounds` times; sums are kept by dividing at the end. */
export function smoothOver(dense: readonly Float32Array[], count: number, indices: Uint32Array, rounds: number): void {
  const degree = new Float32Array(count);
  for (const corner of indices) degree[corner] += 2;
  const sum = new Float32Array(count);
  for (const column of dense) {
    if (!column.some((value) => value > 0)) continue;
    for (let round = 0; round < rounds; round++) {
      sum.fill(0);
      for (let t = 0; t + 2 < indices.length; t += 3) {
        const a = indices[t],
          b = indices[t + 1],
          c = indices[t + 2];
        sum[a] += column[b] + column[c];
        sum[b] += column[a] + column[c];
        sum[c] += column[a] + column[b];
      }
      for (let v = 0; v < count; v++) if (degree[v]) column[v] = 0.5 * column[v] + (0.5 * sum[v]) / degree[v];
    }
  }
}

/** The strongest `most` of each vertex, summing to one. */
export function strongest(dense: readonly Float32Array[], count: number, most: number): Influences {
  const perVertex = Math.ceil(most / 4) * 4,
    joints = new Uint16Array(count * perVertex),
    weights = new Float32Array(count * perVertex),
    row: [number, number][] = [];
  for (let v = 0; v < count; v++) {
    row.length = 0;
    for (let b = 0; b < dense.length; b++) if (dense[b][v] > 1e-3) row.push([b, dense[b][v]]);
    row.sort((a, b) => b[1] - a[1] || a[0] - b[0]);
    const kept = row.slice(0, most),
      total = kept.reduce((sum, [, w]) => sum + w, 0);
    kept.forEach(([bone, w], k) => {
      joints[v * perVertex + k] = bone;
      weights[v * perVertex + k] = w / total;
    });
  }
  return { perVertex, joints, weights };
}
