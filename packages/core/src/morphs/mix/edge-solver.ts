import { type SparseFactor, sparseCholesky } from '../../geometry/index.ts';
import type { SkinMesh } from './skin-mesh.ts';

/**
 * Solver for Σ over edges of w (xᵢ − xⱼ)² beside what is held: (L + H) x = b.
 * @param held on the diagonal; without it nothing holds the surface, and the answer is known up to one number
 */
export function edgeSolver(
  { points, from, to, order }: SkinMesh,
  weight: Float64Array,
  held: Float64Array | null,
): SparseFactor {
  const diagonal = held ? Float64Array.from(held) : new Float64Array(points),
    start = new Uint32Array(points + 1);
  for (let e = 0; e < from.length; e++) {
    start[from[e] + 1]++;
    start[to[e] + 1]++;
    diagonal[from[e]] += weight[e];
    diagonal[to[e]] += weight[e];
  }
  for (let i = 0; i < points; i++) start[i + 1] += start[i];
  const at = start.slice(),
    neighbour = new Uint32Array(from.length * 2),
    entry = new Float64Array(from.length * 2);
  for (let e = 0; e < from.length; e++) {
    neighbour[at[from[e]]] = to[e];
    entry[at[from[e]]++] = -weight[e];
    neighbour[at[to[e]]] = from[e];
    entry[at[to[e]]++] = -weight[e];
  }
  return sparseCholesky({ start, neighbour, entry, diagonal }, order);
}
