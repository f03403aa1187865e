import { weldByPlace } from '../geometry/index.ts';

/** Corners by vertices of their own, numbered as they are come to. */
export function ownVertices(
  positions: ArrayLike<number>,
  corners: Iterable<number>,
): { points: number[]; corners: number[] } {
  const number = new Map<number, number>(),
    points: number[] = [],
    out: number[] = [];
  for (const v of corners) {
    let n = number.get(v);
    if (n === undefined) {
      n = number.size;
      number.set(v, n);
      points.push(positions[v * 3], positions[v * 3 + 1], positions[v * 3 + 2]);
    }
    out.push(n);
  }
  return { points, corners: out };
}

/** Vertices that triangles name, those at one place once; triangles with a corner that is nowhere are left out. */
export function namedVertices(
  positions: Float32Array,
  indices: Uint32Array,
): { positions: Float32Array; indices: Uint32Array } {
  const { points, pointOf } = weldByPlace(positions),
    firstAt = new Int32Array(points).fill(-1),
    isSomewhere = (v: number) => Number.isFinite(positions[v * 3] + positions[v * 3 + 1] + positions[v * 3 + 2]),
    corners: number[] = [];
  for (let t = 0; t + 2 < indices.length; t += 3) {
    const triangle = indices.subarray(t, t + 3);
    if (!triangle.every(isSomewhere)) continue;
    for (const v of triangle) {
      const p = pointOf[v];
      if (firstAt[p] < 0) firstAt[p] = v;
      corners.push(firstAt[p]);
    }
  }
  const own = ownVertices(positions, corners);
  return { positions: Float32Array.from(own.points), indices: Uint32Array.from(own.corners) };
}
