import { apart } from './apart.ts';
import { TriangleTree } from './bvh.ts';

/** A surface welded to points: vertices at one place are one. */
export interface PointSurface {
  /** xyz per point, metres. */
  positions: Float32Array;
  /** Three points a triangle. */
  indices: Uint32Array;
  /** Neighbours of point i along edges: `list` from `start[i]` to `start[i + 1]`, each once. */
  start: Uint32Array;
  list: Uint32Array;
}

export function pointSurface(positions: Float32Array, indices: Uint32Array): PointSurface {
  const count = positions.length / 3,
    near: Set<number>[] = Array.from({ length: count }, () => new Set<number>());
  for (let t = 0; t + 2 < indices.length; t += 3)
    for (let k = 0; k < 3; k++) {
      const a = indices[t + k],
        b = indices[t + ((k + 1) % 3)];
      if (a === b) continue;
      near[a].add(b);
      near[b].add(a);
    }
  const start = new Uint32Array(count + 1);
  near.forEach((set, i) => {
    start[i + 1] = start[i] + set.size;
  });
  const list = new Uint32Array(start[count]);
  near.forEach((set, i) => list.set([...set], start[i]));
  return { positions, indices, start, list };
}

/** Partners by place lie no further apart than this share of the edges around them. */
const NEAR = 0.2;
/** An edge and its mirror image may lie apart by this share of their length, on the average. */
const ALIKE = 0.3;
/** A partner found by its neighbours lies no further from the mirrored place than this share of the edges. */
const WITHIN = 0.7;
/** Share of points that has to be paired by place for the rest to be asked: hair that lies as it fell is no mirror image of itself. */
const GROWS = 0.4;
/** Rounds of growing: as far as two ends of a figure are apart in edges. */
const ROUNDS = 4000;

/**
 * Pairs points of `a` with points of `b` that is its mirror image in the plane x = `middle`: first those that are each
 * other's nearest, well within an edge; then, from pair to pair, neighbours of partners whose edges to the pairs around
 * them are mirror images. So a face that is broader on one side is paired by how it hangs together.
 * @param b may be `a` itself: then a point may be its own partner, and partners are each other's
 * @returns partner in `b` of each point of `a`; −1 for none
 */
export function pairPoints(a: PointSurface, b: PointSurface, middle: number): Int32Array {
  const count = a.positions.length / 3,
    partner = new Int32Array(count).fill(-1),
    taken = new Uint8Array(b.positions.length / 3),
    edge = meanEdges(a);
  const forth = nearestMirrored(a, b, middle),
    back = a === b ? forth : nearestMirrored(b, a, middle);
  let seeds = 0;
  for (let v = 0; v < count; v++) {
    const w = forth.point[v];
    if (w < 0 || back.point[w] !== v || forth.distance[v] > NEAR * edge[v]) continue;
    partner[v] = w;
    taken[w] = 1;
    seeds++;
  }
  if (seeds >= GROWS * count) grow(a, b, partner, taken, (v, w) => placesApart(a, v, b, w, middle) <= WITHIN * edge[v]);
  return partner;
}

function grow(
  a: PointSurface,
  b: PointSurface,
  partner: Int32Array,
  taken: Uint8Array,
  near: (v: number, w: number) => boolean,
): void {
  const same = a === b;
  let rim = new Set<number>();
  const around = (v: number) => {
    for (let n = a.start[v]; n < a.start[v + 1]; n++) if (partner[a.list[n]] < 0) rim.add(a.list[n]);
  };
  for (let v = 0; v < partner.length; v++) if (partner[v] >= 0) around(v);
  for (let round = 0; round < ROUNDS && rim.size; round++) {
    const asked = [...rim].sort((x, y) => x - y),
      fresh: number[] = [];
    rim = new Set();
    for (const v of asked) {
      if (partner[v] >= 0) continue;
      const w = bestPartner(a, b, v, partner, taken);
      if (w < 0 || !near(v, w)) continue;
      partner[v] = w;
      taken[w] = 1;
      fresh.push(v);
      if (same && w !== v) {
        partner[w] = v;
        taken[v] = 1;
        fresh.push(w);
      }
    }
    for (const v of fresh) around(v);
  }
}

/** The free point that hangs on the partners of `v`'s neighbours as `v` hangs on these; −1 where none does, or not on two. */
function bestPartner(a: PointSurface, b: PointSurface, v: number, partner: Int32Array, taken: Uint8Array): number {
  const sums = new Map<number, { shared: number; off: number }>();
  for (let n = a.start[v]; n < a.start[v + 1]; n++) {
    const u = a.list[n],
      to = partner[u];
    if (to < 0) continue;
    for (let m = b.start[to]; m < b.start[to + 1]; m++) {
      const w = b.list[m];
      if (taken[w] && !(a === b && w === v)) continue;
      const row = sums.get(w) ?? { shared: 0, off: 0 };
      row.shared++;
      row.off += edgesApart(a.positions, v, u, b.positions, w, to);
      sums.set(w, row);
    }
  }
  let best = -1,
    least = ALIKE;
  for (const [w, { shared, off }] of sums) {
    const mean = off / shared;
    if (shared < 2 || mean > least || (mean === least && w > best)) continue;
    best = w;
    least = mean;
  }
  return best;
}

const placesApart = (a: PointSurface, v: number, b: PointSurface, w: number, middle: number): number =>
  Math.hypot(
    b.positions[w * 3] - 2 * middle + a.positions[v * 3],
    b.positions[w * 3 + 1] - a.positions[v * 3 + 1],
    b.positions[w * 3 + 2] - a.positions[v * 3 + 2],
  );

/** Between edge v–u, mirrored, and edge w–to, in shares of their length. */
function edgesApart(p: Float32Array, v: number, u: number, q: Float32Array, w: number, to: number): number {
  const x = p[u * 3] - p[v * 3],
    y = p[u * 3 + 1] - p[v * 3 + 1],
    z = p[u * 3 + 2] - p[v * 3 + 2],
    off = Math.hypot(q[to * 3] - q[w * 3] + x, q[to * 3 + 1] - q[w * 3 + 1] - y, q[to * 3 + 2] - q[w * 3 + 2] - z);
  return off / (Math.hypot(x, y, z) || 1);
}

function meanEdges({ positions, start, list }: PointSurface): Float64Array {
  const out = new Float64Array(positions.length / 3);
  for (let v = 0; v < out.length; v++) {
    for (let n = start[v]; n < start[v + 1]; n++) out[v] += apart(positions, v, list[n]);
    out[v] /= start[v + 1] - start[v] || 1;
  }
  return out;
}

/** For each point of `a`, mirrored, the nearest corner of the triangle of `b` that is nearest. */
function nearestMirrored(a: PointSurface, b: PointSurface, middle: number) {
  const count = a.positions.length / 3,
    point = new Int32Array(count).fill(-1),
    distance = new Float64Array(count).fill(Infinity);
  if (!b.indices.length) return { point, distance };
  const tree = new TriangleTree(b.positions, b.indices);
  for (let v = 0; v < count; v++) {
    const x = 2 * middle - a.positions[v * 3],
      y = a.positions[v * 3 + 1],
      z = a.positions[v * 3 + 2];
    tree.closest(x, y, z, -1);
    if (tree.hit.triangle < 0) continue;
    for (let k = 0; k < 3; k++) {
      const w = b.indices[tree.hit.triangle * 3 + k],
        d = Math.hypot(b.positions[w * 3] - x, b.positions[w * 3 + 1] - y, b.positions[w * 3 + 2] - z);
      if (d < distance[v]) {
        distance[v] = d;
        point[v] = w;
      }
    }
  }
  return { point, distance };
}
