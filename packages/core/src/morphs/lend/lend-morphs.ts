import type { Document } from '@gltf-transform/core';
import { trianglesOf } from '../../character/index.ts';
import { triangleArea } from '../../geometry/index.ts';
import { carriedAs, carriedDelta, ON_FACE } from '../carry.ts';
import { NOTHING } from '../cost.ts';
import { putDelta } from '../deltas.ts';
import { edgeSolver } from '../mix/edge-solver.ts';
import { ownPerson, personBeside } from '../mix/people.ts';
import { EVERYWHERE, type PreparedMix, prepareMix, RIGID } from '../mix/prepare.ts';
import { refuseOthers } from '../mix/refuse.ts';
import { putMorph } from '../rewrite.ts';
import { intoSheet, movementOf, type Sheet } from '../standing.ts';
import { combined } from '../stencil.ts';
import { type Transfer, transferSkin } from './transfer-skin.ts';
import { clearLids } from './clear-lids.ts';
import { contactsOf, keepContacts } from './contacts.ts';
import { hasOtherPolygons, type LaidOn, wrappedCounterparts } from './wrapped-counterparts.ts';

/** A point that nothing moves, against edges whose weight is about one. */
const HELD = 1e6;
/** Over shorter ways than this turning and stretching decide, over longer ones how far the other's surface goes, metres. */
const SCREEN = 0.03;

export interface LentMorphs {
  /** Names of those that move something here. */
  made: string[];
  /** How the other's skin came to lie on this one's, where it has other polygons. */
  laid: LaidOn | null;
}
export interface LendOptions {
  /** Called between stretches; may throw to stop. */
  stop?(): void;
  /** Called while a skin of other polygons takes on this one's shape, 0 … 1. */
  progress?(done: number): void;
}

/**
 * Gives a character morphs of another figure: the skin by deformation transfer, what is in the mouth and the eyes as it moves
 * there, everything on the face along with the skin. A figure of other polygons is laid on this one first.
 * @param wanted the other's morph → its name here
 * @throws ProblemError morphs.other-topology where it can't be
 */
export function lendMorphs(
  document: Document,
  other: { document: Document; name: string },
  wanted: ReadonlyMap<string, string>,
  { stop = () => {}, progress = () => {} }: LendOptions = {},
): LentMorphs {
  const own = ownPerson(document),
    direct = prepareMix(own, [personBeside(other.document, other.name, own)], stop),
    wrapped = hasOtherPolygons(direct) ? wrappedCounterparts(direct, stop, progress) : null,
    prepared = wrapped?.prepared ?? direct;
  refuseOthers(prepared);
  const { skin } = prepared,
    moves = new Map([...wanted.keys()].map((name) => [name, movedHere(prepared, name)])),
    transfer = transferOf(prepared),
    still = stillPoints(prepared, [...moves.values()]),
    scale = sizeBeside(transfer, still),
    held = Float64Array.from(skin.mass, (mass, i) => (still[i] ? HELD : mass / SCREEN ** 2));
  stop();
  const solver = edgeSolver(skin, skin.weight, held),
    clear = clearLids(prepared),
    made: string[] = [];
  for (const [name, moved] of moves) {
    stop();
    if (!moved) continue;
    const contacts = contactsOf(skin, transfer.places, moved);
    for (let i = 0; i < moved.length; i++) moved[i] *= scale;
    const found = transferSkin(transfer, moved, scale, held, solver);
    keepContacts(skin, own.rest, found, contacts, scale);
    putSkin(prepared, moved, found);
    clear(moved);
    letOthersGo(prepared, moved);
    const to = wanted.get(name) as string;
    if (put(document, prepared, moved, to)) made.push(to);
  }
  return { made, laid: wrapped?.laid ?? null };
}

/** How large what moves is here, against the other's: the root of both areas. */
function sizeBeside({ skin, triangles, rest, places }: Transfer, still: Uint8Array): number {
  let own = 0,
    other = 0;
  for (let t = 0; t < triangles.length; t += 3) {
    const [a, b, c] = [triangles[t], triangles[t + 1], triangles[t + 2]];
    if (still[skin.pointOf[a]] && still[skin.pointOf[b]] && still[skin.pointOf[c]]) continue;
    own += triangleArea(rest, a, b, c);
    other += triangleArea(places, a, b, c);
  }
  return own > 0 && other > 0 ? Math.sqrt(own / other) : 1;
}

/** How far the other's surface goes at each own vertex; null where nothing of it does. */
function movedHere({ own, others }: PreparedMix, name: string): Float32Array | null {
  const [{ person, matches }] = others,
    theirs = movementOf(person, name);
  if (!theirs) return null;
  const out = new Float32Array(own.rest.length),
    go = new Float64Array(3);
  own.sheets.forEach(({ first, vertices }, i) => {
    const match = matches[i];
    if (!match) return;
    for (let v = 0; v < vertices; v++) {
      if (match.corner[v * 3] < 0) continue;
      combined(go, match, v, theirs);
      for (let k = 0; k < 3; k++) if (Math.abs(go[k]) >= NOTHING) out[(first + v) * 3 + k] = go[k];
    }
  });
  return out.some(Boolean) ? out : null;
}

function transferOf({ own, others, skin }: PreparedMix): Transfer {
  const triangles = own.sheets.flatMap(({ part, first }, i) =>
    skin.pointOf[first] >= 0 && others[0].matches[i] ? Array.from(trianglesOf(part.prim), (v) => v + first) : [],
  );
  return { skin, triangles: Uint32Array.from(triangles), rest: own.rest, places: others[0].places };
}

/** Points of the skin that none of the morphs moves. */
function stillPoints({ skin }: PreparedMix, all: readonly (Float32Array | null)[]): Uint8Array {
  const held = new Uint8Array(skin.points).fill(1);
  skin.pointOf.forEach((point, v) => {
    if (point < 0 || !held[point]) return;
    if (all.some((moved) => moved && (moved[v * 3] || moved[v * 3 + 1] || moved[v * 3 + 2]))) held[point] = 0;
  });
  return held;
}

function putSkin({ skin }: PreparedMix, moved: Float32Array, found: readonly Float64Array[]): void {
  skin.pointOf.forEach((point, v) => {
    if (point < 0) return;
    for (let k = 0; k < 3; k++) moved[v * 3 + k] = Math.abs(found[k][point]) < NOTHING ? 0 : found[k][point];
  });
}

/** What lies on the face goes along with the skin, cloth and hair where the other's do; teeth, tongue and eyes as they moved there. */
function letOthersGo({ own, ground, on }: PreparedMix, moved: Float32Array): void {
  const skin = {
    moved: moved.slice(),
    normals: ground.normalsAt(own.rest.map((value, k) => value + moved[k])),
    ground,
  };
  own.sheets.forEach((sheet, i) => {
    const place = on[i],
      how = carriedAs(sheet.part.kind);
    if (!place || RIGID.includes(sheet.part.kind)) return;
    // A collar doesn't smile.
    if (!ON_FACE.includes(sheet.part.kind) && !stirred(moved, sheet)) return;
    const delta = carriedDelta(sheet, own.rest, place, skin, {
      ...(how ?? { rounds: 0, rooted: false }),
      reach: EVERYWHERE,
    });
    moved.set(delta.subarray(sheet.first * 3, (sheet.first + sheet.vertices) * 3), sheet.first * 3);
  });
}

const stirred = (moved: Float32Array, { first, vertices }: Sheet): boolean =>
  moved.subarray(first * 3, (first + vertices) * 3).some(Boolean);

function put(document: Document, { own }: PreparedMix, moved: Float32Array, name: string): boolean {
  let any = false;
  for (const sheet of own.sheets) {
    if (!stirred(moved, sheet)) continue;
    const target = document.createPrimitiveTarget(name);
    putDelta(
      document,
      target,
      'POSITION',
      intoSheet(sheet, moved.slice(sheet.first * 3, (sheet.first + sheet.vertices) * 3)),
    );
    putMorph(document, sheet.part.mesh, name, (prim) => (prim === sheet.part.prim ? target : undefined));
    any = true;
  }
  return any;
}
