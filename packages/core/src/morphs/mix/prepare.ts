import { INNER_KINDS } from '../../character/index.ts';
import type { SparseFactor } from '../../geometry/index.ts';
import { bodyRegions } from '../body-regions.ts';
import { carriedAs, isSkin } from '../carry.ts';
import { type Ground, groundOf, type OnSkin, placeOnSkin } from '../on-skin.ts';
import { combined } from '../stencil.ts';
import { edgeSolver } from './edge-solver.ts';
import { matchSheets } from './match-sheets.ts';
import type { SheetMatch } from './sheet-match.ts';
import type { Person } from './people.ts';
import { type SkinMesh, skinMesh } from './skin-mesh.ts';
import { flowOf } from './spread.ts';

/** A figure with its skin as one mesh, and where everything else stands over it. */
export interface PreparedFigure {
  own: Person;
  /** Region of each vertex, by its place in REGIONS. */
  regions: Uint8Array;
  skin: SkinMesh;
  /** Region of each point of the skin. */
  regionOf: Uint8Array;
  ground: Ground;
  /** Where what is no skin stands over it, by own sheet; null for the skin. */
  on: (OnSkin | null)[];
  /** Fits edges of the skin. */
  fit(): SparseFactor;
  /** Lets weights flow by a softness. */
  flow(softness: number): SparseFactor;
}

/** What stays the same while weights of a mix change. */
export interface PreparedMix extends PreparedFigure {
  others: {
    person: Person;
    /** By own sheet. */
    matches: (SheetMatch | null)[];
    /** Where each own vertex is on it, xyz. */
    places: Float32Array;
  }[];
}

/** Whatever is worn goes along with the skin below it, however far it stands off, metres. */
export const EVERYWHERE = 1000;
/** Stays as it is within itself and goes as a whole. */
export const RIGID: readonly string[] = INNER_KINDS;

/** @param stop called between stretches; may throw to stop */
export function prepareFigure(own: Person, stop: () => void = () => {}): PreparedFigure {
  const skinSheets = own.sheets.filter(({ part }) => isSkin(part)),
    sheets = skinSheets.length ? skinSheets : own.sheets.filter(({ part }) => !RIGID.includes(part.kind));
  stop();
  const ground = groundOf(own, sheets),
    skin = skinMesh(own.rest, sheets),
    regions = bodyRegions(own.document, own.deformer, own.rest),
    regionOf = Uint8Array.from(skin.vertexOf, (vertex) => regions[vertex]);
  let fit: SparseFactor | null = null,
    flow: { softness: number; solver: SparseFactor } | null = null;
  return {
    own,
    regions,
    skin,
    regionOf,
    ground,
    on: own.sheets.map((sheet) => {
      if (sheets.includes(sheet)) return null;
      stop();
      return placeOnSkin(sheet, own, ground, EVERYWHERE, carriedAs(sheet.part.kind)?.rooted ?? false);
    }),
    fit: () => (fit ??= edgeSolver(skin, skin.weight, null)),
    flow(softness) {
      if (flow?.softness !== softness) flow = { softness, solver: flowOf(skin, regionOf, softness) };
      return flow.solver;
    },
  };
}

/** @param stop called between stretches; may throw to stop */
export function prepareMix(own: Person, people: readonly Person[], stop: () => void = () => {}): PreparedMix {
  return {
    ...prepareFigure(own, stop),
    others: people.map((person) => {
      stop();
      const matches = matchSheets(own, person);
      return { person, matches, places: placesOn(own, person, matches) };
    }),
  };
}

/** Own vertices where they are on another figure; what it has nothing like stays where it is. */
export function placesOn(own: Person, person: Person, matches: readonly (SheetMatch | null)[]): Float32Array {
  const out = Float32Array.from(own.rest),
    place = new Float64Array(3);
  own.sheets.forEach(({ first, vertices }, i) => {
    const match = matches[i];
    if (!match) return;
    for (let v = 0; v < vertices; v++) {
      if (match.corner[v * 3] < 0) continue;
      combined(place, match, v, person.rest);
      out.set(place, (first + v) * 3);
    }
  });
  return out;
}
