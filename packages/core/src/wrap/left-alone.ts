import type { Mesh } from './mesh.ts';
import { GivingSurface } from './register-solver.ts';

/** How strongly what lies around a region is held, in parts of the stiffness; steps of the solve. */
const HELD = 1e3;
const STEPS = 300;

/**
 * A region keeps the shape that it has by itself, and is only laid to what is around it.
 * @param own places of all points by themselves, xyz
 * @param places where they came to lie
 * @param inside 1 per point of the region, else 0
 */
export function leftAlone(
  mesh: Mesh,
  own: Float32Array,
  places: Float32Array,
  inside: ArrayLike<number>,
): Float32Array {
  const solver = new GivingSurface(own, mesh),
    out = new Float32Array(places.length);
  solver.solve(
    { to: Float64Array.from(places), weight: Float64Array.from(inside, (one) => (one ? 0 : HELD)) },
    1,
    STEPS,
    1e-6,
  );
  solver.places(out);
  for (let p = 0; p < mesh.points; p++) if (!inside[p]) out.set(places.subarray(p * 3, p * 3 + 3), p * 3);
  return out;
}
