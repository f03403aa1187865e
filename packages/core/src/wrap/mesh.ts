import { vertexNormals, weldByPlace } from '../geometry/index.ts';

/** A surface whose vertices at one place are one point, with what lies beside each point. */
export interface Mesh {
  points: number;
  /** Point of each vertex of the surface it was made of. */
  pointOf: Uint32Array;
  /** A vertex of each point. */
  vertexOf: Uint32Array;
  /** xyz per point */
  places: Float32Array;
  /** Three points a triangle; none that is no triangle. */
  corners: Uint32Array;
  /** Triangle of the surface it was made of. */
  triangleOf: Uint32Array;
  /** Neighbours of point i stand at `start[i]` … `start[i + 1]` of `neighbour`, ascending. */
  start: Uint32Array;
  neighbour: Uint32Array;
  /** Whether a point lies on an edge of one triangle alone. */
  border: Uint8Array;
  /** Unit normals, xyz per point. */
  normals: Float32Array;
}

/** @param positions xyz per vertex @param indices three per triangle */
export function meshOf(positions: Float32Array, indices: Uint32Array): Mesh {
  const { points, pointOf } = weldByPlace(positions),
    vertexOf = new Uint32Array(points),
    places = new Float32Array(points * 3);
  for (let v = pointOf.length - 1; v >= 0; v--) vertexOf[pointOf[v]] = v;
  for (let p = 0; p < points; p++) places.set(positions.subarray(vertexOf[p] * 3, vertexOf[p] * 3 + 3), p * 3);
  const corners = new Uint32Array(indices.length),
    triangleOf = new Uint32Array(indices.length / 3);
  let kept = 0;
  for (let t = 0; t + 2 < indices.length; t += 3) {
    const a = pointOf[indices[t]],
      b = pointOf[indices[t + 1]],
      c = pointOf[indices[t + 2]];
    if (a === b || b === c || c === a) continue;
    corners[kept * 3] = a;
    corners[kept * 3 + 1] = b;
    corners[kept * 3 + 2] = c;
    triangleOf[kept++] = t / 3;
  }
  const own = corners.slice(0, kept * 3);
  return {
    points,
    pointOf,
    vertexOf,
    places,
    corners: own,
    triangleOf: triangleOf.slice(0, kept),
    ...besideEachOther(points, own),
    normals: vertexNormals(places, own),
  };
}

/** Neighbours of points, and which of them lie on a border. */
function besideEachOther(points: number, corners: Uint32Array): Pick<Mesh, 'start' | 'neighbour' | 'border'> {
  // Both directions of each side of each triangle, sorted by counting: an edge of two triangles stands there twice.
  const count = new Uint32Array(points + 1);
  for (let t = 0; t < corners.length; t++) count[corners[t] + 1] += 2;
  for (let p = 0; p < points; p++) count[p + 1] += count[p];
  const at = count.slice(),
    all = new Uint32Array(corners.length * 2);
  for (let t = 0; t < corners.length; t += 3)
    for (let k = 0; k < 3; k++) {
      const a = corners[t + k],
        b = corners[t + ((k + 1) % 3)];
      all[at[a]++] = b;
      all[at[b]++] = a;
    }
  const start = new Uint32Array(points + 1),
    neighbour = new Uint32Array(all.length),
    border = new Uint8Array(points);
  let n = 0;
  for (let p = 0; p < points; p++) {
    start[p] = n;
    const own = all.subarray(count[p], count[p + 1]).sort();
    for (let k = 0; k < own.length; ) {
      let same = k + 1;
      while (same < own.length && own[same] === own[k]) same++;
      neighbour[n++] = own[k];
      if (same - k === 1) border[p] = 1;
      k = same;
    }
  }
  start[points] = n;
  return { start, neighbour: neighbour.slice(0, n), border };
}
