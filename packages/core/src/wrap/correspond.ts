import { FacingTree, vertexNormals } from '../geometry/index.ts';
import type { Mesh } from './mesh.ts';
import { walkOver } from './walk.ts';

/** For each point of a new surface the place on the old one that it came to lie on. */
export interface Correspondence {
  /** Triangle of the old mesh, −1 where nothing is near. */
  triangle: Int32Array;
  /** Barycentric shares of its corners 2 and 3, two per point. */
  share: Float32Array;
  /** How far off the place is, metres. */
  far: Float32Array;
}

/** Searches, one after the other until one finds: cosine between directions at least, metres at most. */
type Search = readonly (readonly [cos: number, reach: number])[];
const NEAR: Search = [
  [0.5, 0.006],
  [0, 0.006],
];
/** For pieces that hang together with nothing that has a place. */
const ANYWHERE: Search = [...NEAR, [0.2, 0.05], [-1, 0.05]];
/** A walk that ends further off, metres, has lost its way; further than {@link BESIDE} nothing is taken for a place. */
const LOST = 0.002;
const BESIDE = 0.006;
/** Points trusted less take their place from where their neighbours have theirs. */
const SURE = 0.99;

/**
 * What lies outside takes the closest place that faces its way. What lies inside – a mouth's walls, which nearly touch – walks
 * over the old surface from where a neighbour has its place, as long as it comes nearer: so it doesn't find the other lip. What
 * has no counterpart goes along with its neighbour.
 * @param places of the new mesh's points, where they lie on the old surface
 * @param trust 0 … 1 per point: how far it lies outside
 */
export function correspond(mesh: Mesh, places: Float32Array, trust: ArrayLike<number>, old: Mesh): Correspondence {
  const n = mesh.points,
    out = { triangle: new Int32Array(n).fill(-1), share: new Float32Array(n * 2), far: new Float32Array(n) },
    normals = vertexNormals(places, mesh.corners),
    search = new FacingTree(old.places, old.corners),
    put = (i: number, triangle: number, v: number, w: number, squared: number) => {
      out.triangle[i] = triangle;
      out.share[i * 2] = v;
      out.share[i * 2 + 1] = w;
      out.far[i] = Math.sqrt(squared);
    },
    look = (i: number, searches: Search, nearer = Infinity) => {
      for (const [cos, reach] of searches)
        if (search.closestTo(places, normals, i, cos, reach)) {
          const { triangle, v, w, distanceSquared } = search.hit;
          if (distanceSquared < nearer * nearer) put(i, triangle, v, w, distanceSquared);
          return;
        }
    };
  const queue: number[] = [];
  for (let i = 0; i < n; i++)
    if (trust[i] >= SURE) {
      look(i, NEAR);
      if (out.triangle[i] >= 0) queue.push(i);
    }
  const walker = walkOver(old);
  for (let next = 0; next < queue.length; next++) {
    const i = queue[next];
    for (let k = mesh.start[i]; k < mesh.start[i + 1]; k++) {
      const j = mesh.neighbour[k];
      if (out.triangle[j] >= 0) continue;
      const hit = walker(out.triangle[i], places, j * 3, normals, j * 3);
      put(j, hit.triangle, hit.v, hit.w, hit.distanceSquared);
      if (out.far[j] > LOST) look(j, NEAR, out.far[j]);
      // What has no counterpart goes along with its neighbour.
      if (out.far[j] > BESIDE) {
        out.triangle[j] = out.triangle[i];
        out.share.copyWithin(j * 2, i * 2, i * 2 + 2);
      }
      queue.push(j);
    }
  }
  // Pieces that hang together with nothing sure.
  for (let i = 0; i < n; i++) if (out.triangle[i] < 0) look(i, ANYWHERE);
  return out;
}
