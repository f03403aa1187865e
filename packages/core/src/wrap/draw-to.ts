import type { Mesh } from './mesh.ts';
import { overEdges } from './over-edges.ts';

/** A point that shall come to lie somewhere, and how far around it the surface goes along, metres. */
export interface Drawn {
  point: number;
  to: readonly [number, number, number];
  reach: number;
}

/** So that points side by side that want the same don't make the equations singular. */
const RIDGE = 1e-9;

/**
 * Draws points of a surface to where they shall lie: each exactly there, what is around them less the further it is along the
 * surface, and nothing beyond their reach. Radial functions of compact support (Wendland 1995, ψ₃,₁) of the way over edges.
 * @returns places, xyz per point
 */
export function drawTo(mesh: Mesh, places: Float32Array, drawn: readonly Drawn[]): Float32Array {
  const n = drawn.length,
    out = Float32Array.from(places),
    ways = drawn.map(({ point, reach }) => overEdges({ ...mesh, places }, [point], reach).far),
    share = (i: number, point: number): number => wendland(ways[i][point] / drawn[i].reach),
    matrix = Float64Array.from({ length: n * n }, (_, k) => {
      const i = Math.floor(k / n),
        j = k % n;
      return share(j, drawn[i].point) + (i === j ? RIDGE : 0);
    }),
    by = Float64Array.from({ length: n * 3 }, (_, k) => {
      const { point, to } = drawn[Math.floor(k / 3)];
      return to[k % 3] - places[point * 3 + (k % 3)];
    });
  solve(matrix, by, n);
  for (let p = 0; p < mesh.points; p++)
    for (let i = 0; i < n; i++) {
      if (!Number.isFinite(ways[i][p])) continue;
      const own = share(i, p);
      for (let k = 0; k < 3; k++) out[p * 3 + k] += own * by[i * 3 + k];
    }
  return out;
}

/** Points that no reach comes to: nothing there has to move. */
export function beyondReach(mesh: Mesh, places: Float32Array, drawn: readonly Drawn[]): number[] {
  const moves = new Uint8Array(mesh.points);
  for (const { point, reach } of drawn)
    overEdges({ ...mesh, places }, [point], reach).far.forEach((way, p) => {
      if (way < reach) moves[p] = 1;
    });
  return [...moves.keys()].filter((p) => !moves[p]);
}

/** (1 − r)⁴(4r + 1), nothing from 1 on. */
function wendland(r: number): number {
  if (!(r < 1)) return 0;
  const s = (1 - r) * (1 - r);
  return s * s * (4 * r + 1);
}

/** Gaussian elimination with the largest pivot of each column, in place: `b` has three columns and becomes what is looked for. */
function solve(a: Float64Array, b: Float64Array, n: number): void {
  for (let c = 0; c < n; c++) {
    let best = c;
    for (let r = c + 1; r < n; r++) if (Math.abs(a[r * n + c]) > Math.abs(a[best * n + c])) best = r;
    if (best !== c) {
      for (let k = 0; k < n; k++) [a[c * n + k], a[best * n + k]] = [a[best * n + k], a[c * n + k]];
      for (let k = 0; k < 3; k++) [b[c * 3 + k], b[best * 3 + k]] = [b[best * 3 + k], b[c * 3 + k]];
    }
    const pivot = a[c * n + c];
    if (pivot === 0) continue;
    for (let r = 0; r < n; r++) {
      const f = r === c ? 0 : a[r * n + c] / pivot;
      if (!f) continue;
      for (let k = c; k < n; k++) a[r * n + k] -= f * a[c * n + k];
      for (let k = 0; k < 3; k++) b[r * 3 + k] -= f * b[c * 3 + k];
    }
  }
  for (let r = 0; r < n; r++) for (let k = 0; k < 3; k++) b[r * 3 + k] = a[r * n + r] ? b[r * 3 + k] / a[r * n + r] : 0;
}
