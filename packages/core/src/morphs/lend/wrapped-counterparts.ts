import { trianglesOf } from '../../character/index.ts';
import { TriangleTree } from '../../geometry/index.ts';
import { correspond, type Skin, skinOf, surfaceFit, trustOf, whyUnwrappable, wrapSkin } from '../../wrap/index.ts';
import { inJointsOf } from '../mix/in-joints-of.ts';
import type { Person } from '../mix/people.ts';
import { placesOn, type PreparedMix, RIGID } from '../mix/prepare.ts';
import { noStencils, type SheetMatch } from '../mix/sheet-match.ts';
import type { Sheet } from '../standing.ts';
import { setStencil } from '../stencil.ts';

/** Teeth, tongue and eyes are looked for this far off, the other standing in this one's joints, metres. */
const NEAR = 0.03;

/** How a skin of other polygons came to lie on this one's. */
export interface LaidOn {
  /** Root mean square off this one's surface, millimetres. */
  offMm: number;
}

/** Whether nothing of this one's skin is known on the other. */
export const hasOtherPolygons = ({ own, others, skin }: PreparedMix): boolean =>
  !own.sheets.some(({ first }, i) => skin.pointOf[first] >= 0 && others[0].matches[i]);

/**
 * Where the other has other polygons, its skin is laid on this one's, and each place of this one has its counterpart in what came
 * to lie there; teeth, tongue and eyes have theirs in what lies nearest once the other stands in this one's joints.
 * @param stop called between stretches; may throw to stop
 * @returns null where one of the two has no skin that could be laid on another
 */
export function wrappedCounterparts(
  prepared: PreparedMix,
  stop: () => void,
  progress: (done: number) => void,
): { prepared: PreparedMix; laid: LaidOn } | null {
  const { own, others } = prepared,
    [{ person, matches: before }] = others,
    here = skinOf(own.document),
    there = skinOf(person.document);
  if (whyUnwrappable(here) || whyUnwrappable(there)) return null;
  const wrapped = wrapSkin(there, here, { stop, after: progress }),
    at = correspond(here.mesh, here.mesh.places, wrapped.open.map(trustOf), {
      ...there.mesh,
      places: wrapped.places,
    }),
    vertexThere = verticesOf(person, there),
    nearest = nearestRigid(own, person),
    matches = own.sheets.map((sheet, i): SheetMatch | null => {
      const range = here.deformer.ranges.find(({ part }) => part.id === sheet.part.id);
      if (!range) return before[i] ?? nearest(sheet);
      const out = noStencils(sheet.vertices);
      for (let v = 0; v < sheet.vertices; v++) {
        const p = here.mesh.pointOf[range.firstVertex + v],
          t = at.triangle[p] * 3;
        if (t < 0) continue;
        const corner = (k: number) => vertexThere[there.mesh.vertexOf[there.mesh.corners[t + k]]];
        setStencil(out, v, [corner(0), corner(1), corner(2)], at.share[p * 2], at.share[p * 2 + 1]);
      }
      return { ...out, by: 'wrap', other: person.sheets[0] };
    });
  return {
    prepared: { ...prepared, others: [{ person, matches, places: placesOn(own, person, matches) }] },
    laid: { offMm: surfaceFit(there.mesh, wrapped, here.mesh).there.rms * 1000 },
  };
}

/** Number among all vertices of the person by number among those of its skin. */
function verticesOf(person: Person, skin: Skin): Uint32Array {
  const out = new Uint32Array(skin.deformer.vertices);
  for (const { part, firstVertex, vertices } of skin.deformer.ranges) {
    const { first } = person.sheets.find((sheet) => sheet.part.id === part.id) as Sheet;
    for (let v = 0; v < vertices; v++) out[firstVertex + v] = first + v;
  }
  return out;
}

/** For what moves by itself and has another mesh there: each vertex where the other's of its kind is nearest. */
function nearestRigid(own: Person, person: Person): (sheet: Sheet) => SheetMatch | null {
  let moved: Float32Array | null = null;
  return (sheet) => {
    const { kind } = sheet.part,
      theirs = person.sheets.filter((each) => each.part.kind === kind);
    if (!RIGID.includes(kind) || !theirs.length) return null;
    moved ??= inJointsOf(own, person);
    const corners = Uint32Array.from(
        theirs.flatMap(({ part, first }) => Array.from(trianglesOf(part.prim), (v) => v + first)),
      ),
      tree = new TriangleTree(moved, corners),
      out = noStencils(sheet.vertices);
    for (let v = 0; v < sheet.vertices; v++) {
      const o = (sheet.first + v) * 3;
      if (tree.closest(own.rest[o], own.rest[o + 1], own.rest[o + 2]) > NEAR) continue;
      const { triangle, v: b, w: c } = tree.hit;
      setStencil(out, v, [corners[triangle * 3], corners[triangle * 3 + 1], corners[triangle * 3 + 2]], b, c);
    }
    return { ...out, by: 'wrap', other: theirs[0] };
  };
}
