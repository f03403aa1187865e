import type { Mesh } from './mesh.ts';
import { overEdges } from './over-edges.ts';
import { GivingSurface } from './register-solver.ts';

/** A point that shall come to lie somewhere, and how far around it the surface goes along, metres. */
export interface Drawn {
  point: number;
  to: readonly [number, number, number];
  reach: number;
}

/** How strongly points hold that lie still or were drawn, in parts of the stiffness; steps of the solve, and how exact it is. */
const HELD = 1e4;
const STEPS = 400;
const CLOSE = 1e-5;

/**
 * Draws points of a surface to where they shall lie: each exactly there, what is around them as far as their reach so that the
 * surface gives way least ({@link GivingSurface}), and nothing beyond.
 * @returns places, xyz per point
 */
export function drawTo(mesh: Mesh, places: Float32Array, drawn: readonly Drawn[]): Float32Array {
  const solver = new GivingSurface(places, mesh),
    weight = new Float64Array(mesh.points),
    to = Float64Array.from(places),
    out = new Float32Array(places.length),
    still = beyondReach(mesh, places, drawn);
  for (const p of still) weight[p] = HELD;
  for (const { point, to: place } of drawn) {
    weight[point] = HELD;
    to.set(place, point * 3);
  }
  solver.solve({ to, weight }, 1, STEPS, CLOSE);
  solver.places(out);
  for (const p of still) out.set(places.subarray(p * 3, p * 3 + 3), p * 3);
  for (const { point, to: place } of drawn) out.set(place, point * 3);
  return out;
}

/** Points that no reach comes to: nothing there has to move. */
export function beyondReach(mesh: Mesh, places: Float32Array, drawn: readonly Drawn[]): number[] {
  const moves = new Uint8Array(mesh.points),
    byReach = new Map<number, number[]>();
  for (const { point, reach } of drawn) byReach.set(reach, [...(byReach.get(reach) ?? []), point]);
  for (const [reach, from] of byReach)
    overEdges({ ...mesh, places }, from, reach).far.forEach((way, p) => {
      if (way < reach) moves[p] = 1;
    });
  for (const { point } of drawn) moves[point] = 1;
  return [...moves.keys()].filter((p) => !moves[p]);
}
