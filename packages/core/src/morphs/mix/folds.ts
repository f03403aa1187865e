import { trianglesOf } from '../../character/index.ts';
import { combined } from '../stencil.ts';
import type { Person } from './people.ts';
import type { SheetMatch } from './sheet-match.ts';
import type { Sheet } from '../standing.ts';

/** A triangle that is left with less of its area than this has collapsed; one that turned further has folded over, cosine. */
const COLLAPSED = 0.05,
  FOLDED = 0.2;

/** Share of a part's triangles that fold or collapse where the other figure is said to have them: many on what is not the same thing. */
export function foldedShare(own: Person, sheet: Sheet, other: Person, match: SheetMatch): number {
  const indices = trianglesOf(sheet.part.prim),
    there = new Float64Array(sheet.vertices * 3),
    place = new Float64Array(3);
  for (let v = 0; v < sheet.vertices; v++)
    if (match.corner[v * 3] >= 0) there.set(combined(place, match, v, other.rest), v * 3);
  let folded = 0,
    whole = 0;
  const here = own.rest.subarray(sheet.first * 3, (sheet.first + sheet.vertices) * 3);
  for (let t = 0; t < indices.length; t += 3) {
    const a = acrossTriangle(here, indices, t),
      b = acrossTriangle(there, indices, t),
      [la, lb] = [Math.hypot(...a), Math.hypot(...b)];
    if (!(la > 0)) continue;
    whole++;
    if (lb < la * COLLAPSED || a[0] * b[0] + a[1] * b[1] + a[2] * b[2] < FOLDED * la * lb) folded++;
  }
  return whole ? folded / whole : 0;
}

/** Normal of a triangle, as long as twice its area. */
function acrossTriangle(p: ArrayLike<number>, indices: Uint32Array, t: number): [number, number, number] {
  const [a, b, c] = [indices[t] * 3, indices[t + 1] * 3, indices[t + 2] * 3],
    [ux, uy, uz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]],
    [vx, vy, vz] = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
  return [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
}
