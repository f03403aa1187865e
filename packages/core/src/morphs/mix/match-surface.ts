import { TriangleTree } from '../../geometry/index.ts';
import { type WeldedPart, weldedPart } from '../welded-part.ts';
import type { Sheet } from '../standing.ts';
import { setStencil } from '../stencil.ts';
import type { Person } from './people.ts';
import { sameMesh } from './same-mesh.ts';
import { noStencils, type SheetMatch } from './sheet-match.ts';

/**
 * Each vertex by how the surface hangs together, where both have the same mesh with its vertices in another order: begun at
 * points that are each other's nearest once the other stands in this one's joints, followed from triangle to triangle.
 */
export function matchBySurface(inJoints: () => Float32Array) {
  return (own: Person, sheet: Sheet, other: Person, theirs: Sheet): SheetMatch | null => {
    if (sheet.part.triangles !== theirs.part.triangles) return null;
    const stretch = (all: Float32Array, { first, vertices }: Sheet) => all.subarray(first * 3, (first + vertices) * 3),
      [here, there] = [stretch(own.rest, sheet), stretch(other.rest, theirs)];
    // Where one's lips touch and the other's don't, points are more on one: then vertices are followed as they are.
    for (const weld of [true, false]) {
      const a = weldedPart(sheet.part, here, weld),
        b = weldedPart(theirs.part, there, weld),
        partner = sameMesh(a.surface, b.surface, nearestPoints(a, b, stretch(inJoints(), theirs)));
      if (!partner) continue;
      const out = noStencils(sheet.vertices);
      for (let v = 0; v < sheet.vertices; v++) {
        const at = theirs.first + b.vertices[partner[a.pointOf[v]]][0];
        setStencil(out, v, [at, at, at], 0, 0);
      }
      return { ...out, by: 'surface', other: theirs };
    }
    return null;
  };
}

/** For each point of `a` the nearest of `b` standing in its joints. */
function nearestPoints(a: WeldedPart, b: WeldedPart, standing: Float32Array): Int32Array {
  const positions = new Float32Array(b.surface.positions.length);
  b.vertices.forEach((among, point) => {
    positions.set(standing.subarray(among[0] * 3, among[0] * 3 + 3), point * 3);
  });
  const tree = new TriangleTree(positions, b.surface.indices),
    p = a.surface.positions;
  return Int32Array.from({ length: p.length / 3 }, (_, i) => {
    tree.closest(p[i * 3], p[i * 3 + 1], p[i * 3 + 2]);
    const { triangle, v, w } = tree.hit;
    if (triangle < 0) return -1;
    const shares = [1 - v - w, v, w];
    return b.surface.indices[triangle * 3 + shares.indexOf(Math.max(...shares))];
  });
}
