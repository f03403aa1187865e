import { createUnions } from '../../geometry/index.ts';
import type { PointSurface } from '../../geometry/index.ts';

/** Triangles of one piece that are tried to begin with. */
const TRIED = 40;

/**
 * Which point of `b` each point of `a` is, where both are the same mesh with its points in another order: an isomorphism
 * of triangles that keeps their sense, found by following neighbours from one triangle on, piece by piece.
 * @param likely for each point of `a` one of `b` that it may be; −1 for none
 * @returns null where they are not the same mesh, or no beginning was right
 */
export function sameMesh(a: PointSurface, b: PointSurface, likely: Int32Array): Int32Array | null {
  const count = a.positions.length / 3;
  if (b.positions.length !== a.positions.length || b.indices.length !== a.indices.length) return null;
  const partner = new Int32Array(count).fill(-1),
    taken = new Uint8Array(count),
    { join, of } = createUnions(count),
    beyond = [beyondEdges(a), beyondEdges(b)] as const;
  for (let t = 0; t < a.indices.length; t += 3) for (let k = 1; k < 3; k++) join(a.indices[t], a.indices[t + k]);
  const pieces = new Map<number, number[]>();
  for (let t = 0; t < a.indices.length; t += 3) {
    const list = pieces.get(of(a.indices[t]));
    if (list) list.push(t);
    else pieces.set(of(a.indices[t]), [t]);
  }
  for (const triangles of pieces.values()) {
    const begins = triangles.filter((t) => begin(a, b, likely, beyond[1], t)),
      every = Math.max(1, Math.floor(begins.length / TRIED));
    let done = false;
    for (let i = 0; i < begins.length && !done; i += every)
      done = follow(a, beyond, likely, begins[i], partner, taken, triangles.length);
    if (!done) return null;
  }
  return partner;
}

/** For each edge, in the sense of its triangle, the third point; −2 where several triangles have it. */
function beyondEdges({ indices, positions }: PointSurface): Map<number, number> {
  const out = new Map<number, number>(),
    count = positions.length / 3;
  for (let t = 0; t < indices.length; t += 3)
    for (let k = 0; k < 3; k++) {
      const key = indices[t + k] * count + indices[t + ((k + 1) % 3)];
      out.set(key, out.has(key) ? -2 : indices[t + ((k + 2) % 3)]);
    }
  return out;
}

/** Whether a triangle's likely partners are a triangle, each with as many neighbours. */
function begin(a: PointSurface, b: PointSurface, likely: Int32Array, beyond: Map<number, number>, t: number): boolean {
  const corners = [0, 1, 2].map((k) => a.indices[t + k]),
    to = corners.map((point) => likely[point]);
  return (
    to.every((point, k) => {
      const at = corners[k];
      return point >= 0 && a.start[at + 1] - a.start[at] === b.start[point + 1] - b.start[point];
    }) && beyond.get(to[0] * likely.length + to[1]) === to[2]
  );
}

/** Follows one piece from a triangle on; what was written is taken back where it goes wrong. */
function follow(
  a: PointSurface,
  [beyondA, beyondB]: readonly [Map<number, number>, Map<number, number>],
  likely: Int32Array,
  first: number,
  partner: Int32Array,
  taken: Uint8Array,
  triangles: number,
): boolean {
  const count = partner.length,
    written: number[] = [],
    seen = new Set<number>(),
    edges: number[] = [],
    put = (point: number, to: number): boolean => {
      if (partner[point] >= 0) return partner[point] === to;
      if (to < 0 || taken[to]) return false;
      partner[point] = to;
      taken[to] = 1;
      written.push(point);
      return true;
    },
    enter = (x: number, y: number, z: number) => {
      for (const [p, q] of [
        [x, y],
        [y, z],
        [z, x],
      ])
        seen.add(p * count + q);
      edges.push(y * count + x, z * count + y, x * count + z);
    },
    corners = [0, 1, 2].map((k) => a.indices[first + k]);
  let right = corners.every((point) => put(point, likely[point])),
    reached = 1;
  enter(corners[0], corners[1], corners[2]);
  for (let e = 0; e < edges.length && right; e++) {
    const [x, y] = [Math.floor(edges[e] / count), edges[e] % count],
      z = beyondA.get(edges[e]);
    if (z === undefined || z === -2 || seen.has(edges[e])) continue;
    right = put(z, beyondB.get(partner[x] * count + partner[y]) ?? -1);
    reached++;
    enter(x, y, z);
  }
  // A mesh that can't be walked through whole isn't known whole.
  if (right && reached === triangles) return true;
  for (const point of written) {
    taken[partner[point]] = 0;
    partner[point] = -1;
  }
  return false;
}
