import { betweenCorners } from '../../geometry/index.ts';
import type { FineSurface, Surface } from './fine-surface.ts';

/** How far from each vertex, along its normal both ways, the finer surface is looked for. */
export interface Cage {
  /** Metres, per vertex; 0 where the finer model has nothing there. */
  reach: Float32Array;
  /** The farthest of them. */
  most: number;
}

/** Directions that differ by more (cosine) are another surface's: a lining, the other lip. */
const AGREE = 0.2;
/** A point that lies nearer to something else than this part of the way belongs to that. */
const OWNED = 0.5;
/** Looked for a little farther than the farthest point that was found. */
const MARGIN = 1.15;
/** Where both surfaces touch, metres. */
const LEAST = 2e-4;

/**
 * Finds by itself how far a finer surface lies off: every point of it tells the triangle it lies nearest to, every vertex
 * below tells where it finds the finer one, and neither reaches past half the way to a wall that stands opposite.
 * @param farthest metres beyond which nothing belongs together
 */
export function findCage(low: Surface, fine: FineSurface, farthest: number, stop: () => void = () => {}): Cage {
  const reach = new Float32Array(low.positions.length / 3);
  reachOfPoints(reach, low, fine, farthest, stop);
  reachOfVertices(reach, low, fine, farthest);
  let most = 0;
  const { positions: p, normals: n, tree } = low;
  for (let v = 0; v < reach.length; v++) {
    if (!(reach[v] > 0)) continue;
    let out = Math.min(farthest, reach[v] * MARGIN + LEAST);
    const o = v * 3,
      [x, y, z] = [p[o] + n[o] * LEAST, p[o + 1] + n[o + 1] * LEAST, p[o + 2] + n[o + 2] * LEAST];
    if (tree.ray(x, y, z, n[o], n[o + 1], n[o + 2], 2 * out))
      out = Math.min(out, Math.max(LEAST, (tree.met.distance + LEAST) / 2));
    reach[v] = out;
    most = Math.max(most, out);
  }
  return { reach, most };
}

function reachOfPoints(reach: Float32Array, low: Surface, fine: FineSurface, farthest: number, stop: () => void): void {
  const { positions: p, normals: n } = fine,
    { tree, indices } = low,
    { hit } = tree;
  let hint = -1;
  for (let v = 0; v < p.length / 3; v++) {
    if ((v & 8191) === 0) stop();
    const apart = tree.closest(p[v * 3], p[v * 3 + 1], p[v * 3 + 2], hint);
    hint = hit.triangle;
    if (hint < 0 || !(apart < farthest) || agreement(low, hint, hit.v, hit.w, n, v) < AGREE) continue;
    for (let k = 0; k < 3; k++) {
      const corner = indices[hint * 3 + k];
      reach[corner] = Math.max(reach[corner], apart, 1e-9);
    }
  }
}

function reachOfVertices(reach: Float32Array, low: Surface, fine: FineSurface, farthest: number): void {
  const { positions: p, normals: n } = low,
    { tree } = fine,
    { hit } = tree;
  let hint = -1;
  for (let v = 0; v < reach.length; v++) {
    const apart = tree.closest(p[v * 3], p[v * 3 + 1], p[v * 3 + 2], hint);
    hint = hit.triangle;
    if (hint < 0 || !(apart < farthest) || agreement(fine, hint, hit.v, hit.w, n, v) < AGREE) continue;
    // What lies on another part, the foot in a boot, has no business with this one.
    if (apart > LEAST && ownDistance(low, fine, hint, hit.v, hit.w) < OWNED * apart) continue;
    reach[v] = Math.max(reach[v], apart, 1e-9);
  }
}

const at = new Float64Array(3);

/** From a point of the finer surface to whatever lies nearest below it. */
function ownDistance(low: Surface, { positions, indices }: Surface, triangle: number, v: number, w: number): number {
  betweenCorners(at, positions, indices, triangle, v, w);
  return low.tree.closest(at[0], at[1], at[2]);
}

/** Cosine between a surface's direction at a place of one of its triangles and the normal of a vertex elsewhere. */
function agreement(
  { normals, indices }: Surface,
  triangle: number,
  v: number,
  w: number,
  n: Float32Array,
  vertex: number,
): number {
  betweenCorners(at, normals, indices, triangle, v, w);
  const x = at[0],
    y = at[1],
    z = at[2],
    l = Math.sqrt(x * x + y * y + z * z) || 1;
  return (x * n[vertex * 3] + y * n[vertex * 3 + 1] + z * n[vertex * 3 + 2]) / l;
}
