import type { SparseFactor } from '../../geometry/index.ts';
import { REGIONS, type Region } from '../body-regions.ts';
import { edgeSolver } from './edge-solver.ts';
import type { SkinMesh } from './skin-mesh.ts';

/** How far a region's weight reaches over its border, metres: features of a face lie closer together than limbs. */
const SOFT: Readonly<Record<Region, number>> = {
  skull: 0.02,
  brow: 0.008,
  eyes: 0.008,
  nose: 0.008,
  cheeks: 0.01,
  mouth: 0.008,
  jaw: 0.012,
  ears: 0.01,
  neck: 0.025,
  torso: 0.04,
  arms: 0.035,
  hands: 0.02,
  legs: 0.04,
  feet: 0.025,
};
/** Heat flows twice for half as long: once would leave a crease where the border was. */
const TIMES = 2;

/**
 * Weights that are fixed within regions, flowing softly over their borders: heat on the surface (M + t L) w = M w₀ by
 * backward Euler steps (Crane, Weischedel & Wardetzky 2013), t the square of how far it shall reach, which differs from
 * place to place. Stays within the weights it came from; where all are equal nothing changes.
 * @param given weight of each point
 * @param flow lets them flow, see {@link flowOf}
 */
export function spreadWeights(mesh: SkinMesh, given: Float64Array, flow: () => SparseFactor): Float64Array {
  const w = given.slice();
  if (w.every((value) => value === w[0])) return w;
  const { solve } = flow();
  for (let time = 0; time < TIMES; time++) {
    for (let i = 0; i < w.length; i++) w[i] *= mesh.mass[i];
    solve(w);
  }
  return w.map((value) => Math.min(1, Math.max(0, value)));
}

/** What lets weights flow by a softness, 1 for the borders above. */
export function flowOf(mesh: SkinMesh, regionOf: Uint8Array, softness: number): SparseFactor {
  const soft = Float64Array.from(regionOf, (region) => SOFT[REGIONS[region]] * softness),
    flow = mesh.weight.map((value, e) => (value * soft[mesh.from[e]] * soft[mesh.to[e]]) / TIMES);
  return edgeSolver(mesh, flow, mesh.mass);
}

/** Metres over which a weight goes from nothing to all where it does so fastest; Infinity where it is the same everywhere. */
export function narrowestBorder(mesh: SkinMesh, w: ArrayLike<number>, rest: Float32Array): number {
  let narrow = Infinity;
  for (let e = 0; e < mesh.from.length; e++) {
    const d = Math.abs(w[mesh.from[e]] - w[mesh.to[e]]),
      [a, b] = [mesh.vertexOf[mesh.from[e]] * 3, mesh.vertexOf[mesh.to[e]] * 3],
      length = Math.hypot(rest[a] - rest[b], rest[a + 1] - rest[b + 1], rest[a + 2] - rest[b + 2]);
    if (d > 1e-6 && length > 1e-4 && length / d < narrow) narrow = length / d;
  }
  return narrow;
}
