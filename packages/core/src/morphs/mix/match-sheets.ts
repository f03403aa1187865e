import { trianglesOf } from '../../character/index.ts';
import { carriedAs, ON_FACE } from '../carry.ts';
import type { Sheet } from '../standing.ts';
import { setStencil } from '../stencil.ts';
import type { Person } from './people.ts';
import { foldedShare } from './folds.ts';
import { inJointsOf } from './in-joints-of.ts';
import { matchBySurface } from './match-surface.ts';
import { matchByPlaces } from './match-places.ts';
import { noStencils, type SheetMatch, uvOf } from './sheet-match.ts';

/** As many triangles may fold where two figures are matched by places. */
const SAME_THING = 0.04;

/**
 * Finds the same part on another figure, and each vertex on it: by the order of vertices where triangles or texture
 * places agree, else by texture places, else by how the surface hangs together. A part of
 * another kind is never the same. @returns by own sheet, null where the other has nothing like it
 */
export function matchSheets(own: Person, other: Person): (SheetMatch | null)[] {
  const taken = new Set<Sheet>(),
    out: (SheetMatch | null)[] = own.sheets.map(() => null);
  let moved: Float32Array | null = null;
  const inJoints = () => (moved ??= inJointsOf(own, other));
  for (const match of [byOrder, matchByPlaces(inJoints), matchBySurface(inJoints)])
    own.sheets.forEach((sheet, i) => {
      if (out[i]) return;
      const likely = other.sheets
        .filter((each) => !taken.has(each) && alike(sheet, each) && (match === byOrder || knownThing(sheet, each)))
        .sort((a, b) => likeness(sheet, b) - likeness(sheet, a));
      for (const each of likely) {
        const found = match(own, sheet, other, each);
        if (!found || (found.by !== 'order' && foldedShare(own, sheet, other, found) > SAME_THING)) continue;
        out[i] = found;
        taken.add(each);
        return;
      }
    });
  return out;
}

const alike = (one: Sheet, two: Sheet): boolean =>
  one.part.kind === two.part.kind || (one.part.name === two.part.name && one.part.role === two.part.role);
/** Parts of a body are the same whatever they are called; of cloth and hair only what has as many triangles is looked at closely. */
const knownThing = ({ part }: Sheet, { part: other }: Sheet): boolean =>
  part.triangles === other.triangles ||
  carriedAs(part.kind) === null ||
  ON_FACE.includes(part.kind) ||
  part.kind === 'nail';
const likeness = ({ part }: Sheet, { part: other }: Sheet): number =>
  (part.name === other.name ? 4 : 0) + (part.role === other.role ? 2 : 0) + (part.vertices === other.vertices ? 1 : 0);

/** Texture places that differ by less are the same. */
const SAME_PLACE = 1e-4;

function byOrder(_own: Person, sheet: Sheet, _other: Person, theirs: Sheet): SheetMatch | null {
  if (sheet.vertices !== theirs.vertices) return null;
  const [a, b] = [uvOf(sheet), uvOf(theirs)],
    samePlaces = a && b && a.every((value, i) => Math.abs(value - b[i]) < SAME_PLACE),
    [t, u] = [trianglesOf(sheet.part.prim), trianglesOf(theirs.part.prim)];
  // Equal triangles over other texture places are another mesh with as many of everything.
  if (a && b ? !samePlaces : !(t.length === u.length && t.every((corner, i) => corner === u[i]))) return null;
  const out = noStencils(sheet.vertices);
  for (let v = 0; v < sheet.vertices; v++) {
    const at = theirs.first + v;
    setStencil(out, v, [at, at, at], 0, 0);
  }
  return { ...out, by: 'order', other: theirs };
}
