import type { Document } from '@gltf-transform/core';
import { type MaterialKind, type Part, trianglesOf } from '../character/index.ts';
import { NOTHING } from './cost.ts';
import { deltaOf, putDelta } from './deltas.ts';
import { evenOut } from './even-out.ts';
import { type Ground, groundOf, type OnSkin, placeOnSkin } from './on-skin.ts';
import { putMorph } from './rewrite.ts';
import { inMesh, movementOf, type Sheet, standing, targetOf } from './standing.ts';
import { combined } from './stencil.ts';
import { turnWithLids } from './turn-with-lids.ts';

/** How a part without a morph goes along with the skin that has it. */
export interface Carrying {
  /** As far from the skin as it is carried, metres. */
  reach: number;
  /** Rounds in which what is carried takes on its neighbours'. */
  rounds: number;
  /** Strands: held by their roots alone. */
  rooted: boolean;
  /** Strands that swing with the lid they stand on. */
  onLids?: boolean;
}
const CLOSE: Carrying = { reach: 0.02, rounds: 0, rooted: true },
  ON_LIDS: Carrying = { ...CLOSE, onLids: true },
  LOOSE: Carrying = { reach: 0.06, rounds: 8, rooted: false };

/** Lies on the face and moves with whatever that does. */
export const ON_FACE: readonly MaterialKind[] = ['lash', 'brow', 'tear', 'shade', 'beard'];
const CLOSE_KINDS: readonly MaterialKind[] = [...ON_FACE, 'hair', 'scalp', 'nail'],
  LOOSE_KINDS: readonly MaterialKind[] = ['cloth', 'knit', 'leather', 'rubber', 'plastic', 'metal', 'glass', 'other'],
  SKIN: readonly MaterialKind[] = ['skin', 'lips'];
export const isSkin = ({ kind }: Part): boolean => SKIN.includes(kind);

/** Null for what moves by itself: eyes, teeth, tongue, and the skin. */
export const carriedAs = (kind: MaterialKind): Carrying | null =>
  kind === 'lash' ? ON_LIDS : CLOSE_KINDS.includes(kind) ? CLOSE : LOOSE_KINDS.includes(kind) ? LOOSE : null;

export interface Carried {
  name: string;
  part: string;
  /** Vertices that go along, and how far the farthest goes, millimetres. */
  vertices: number;
  farthestMm: number;
}

/**
 * Lets parts that have nothing of a morph go along with the skin below them: each vertex takes the movement of the
 * nearest skin at rest, evened out over the part, and is then lifted until it stands as far from that skin as before.
 * @param goes whether a part goes along with a morph
 * @param report called before each morph; may throw to stop
 */
export function carryMorphs(
  document: Document,
  names: readonly string[],
  goes: (part: Part, morph: string) => boolean = () => true,
  report: (fraction: number, morph: string) => void = () => {},
): Carried[] {
  const figure = standing(document),
    { rest, sheets } = figure,
    // A mesh under several nodes is carried once.
    once = sheets.filter(({ part }, i) => sheets.findIndex((other) => other.part.prim === part.prim) === i),
    skin = once.filter(({ part }) => isSkin(part)),
    places = new Map<Sheet, OnSkin>(),
    out: Carried[] = [];
  let ground: Ground | null = null;
  for (const [i, name] of names.entries()) {
    report(i / names.length, name);
    if (!skin.some((sheet) => moves(sheet, name))) continue;
    ground ??= groundOf(figure, skin);
    const moved = movementOf(figure, name) as Float32Array,
      normals = ground.normalsAt(rest.map((value, k) => value + moved[k]));
    for (const sheet of once) {
      const how = carriedAs(sheet.part.kind);
      if (!how || moves(sheet, name) || !goes(sheet.part, name)) continue;
      const on = places.get(sheet) ?? placeOnSkin(sheet, figure, ground, how.reach, how.rooted);
      places.set(sheet, on);
      const delta = carriedDelta(sheet, rest, on, { moved, normals, ground }, how),
        told = reached(delta, sheet);
      if (!told.vertices) continue;
      const target = document.createPrimitiveTarget(name);
      putDelta(document, target, 'POSITION', inMesh(sheet, delta));
      putMorph(document, sheet.part.mesh, name, (prim) => (prim === sheet.part.prim ? target : undefined));
      out.push({ name, part: sheet.part.id, ...told });
    }
  }
  return out;
}

/** Whether a part has a movement of its own under a name. */
const moves = (sheet: Sheet, name: string): boolean =>
  deltaOf(targetOf(sheet, name), 'POSITION')?.some((value) => value !== 0) ?? false;

/** A skin that moves: how far each vertex of the figure goes, its normals there, and the skin at rest. */
export interface MovedSkin {
  moved: Float32Array;
  normals: Float32Array;
  ground: Ground;
}

/** Movements of a part's vertices, at their places among those of the figure. */
export function carriedDelta(
  { part, first, vertices }: Sheet,
  rest: Float32Array,
  on: OnSkin,
  { moved, normals, ground }: MovedSkin,
  { rounds, rooted, onLids }: Carrying,
): Float32Array {
  const all = new Float32Array(rest.length),
    out = all.subarray(first * 3, (first + vertices) * 3),
    own = rest.subarray(first * 3, (first + vertices) * 3),
    [go, point, normal] = [new Float64Array(3), new Float64Array(3), new Float64Array(3)];
  for (let v = 0; v < vertices; v++) {
    combined(go, on, v, moved);
    for (let k = 0; k < 3; k++) out[v * 3 + k] = go[k] * on.takes[v];
  }
  evenOut(out, own, trianglesOf(part.prim), rounds);
  if (onLids) turnWithLids(out, own, on, rest, { moved, ground });
  // A strand is held by its root alone; its tip may well come nearer to the skin.
  if (rooted) return all;
  for (let v = 0; v < vertices; v++) {
    if (!on.takes[v]) continue;
    combined(go, on, v, moved);
    combined(point, on, v, rest);
    combined(normal, on, v, normals);
    let stands = 0;
    for (let k = 0; k < 3; k++) stands += (own[v * 3 + k] + out[v * 3 + k] - point[k] - go[k]) * normal[k];
    const missing = (on.height[v] - stands) * on.takes[v];
    if (missing > 0) for (let k = 0; k < 3; k++) out[v * 3 + k] += normal[k] * missing;
  }
  return all;
}

/** Counts what is moved, and takes out what is next to nothing. */
function reached(delta: Float32Array, { first, vertices }: Sheet): { vertices: number; farthestMm: number } {
  let count = 0,
    most = 0;
  for (let i = first * 3; i < (first + vertices) * 3; i += 3) {
    const d = Math.hypot(delta[i], delta[i + 1], delta[i + 2]);
    if (d > NOTHING) count++;
    else delta.fill(0, i, i + 3);
    if (d > most) most = d;
  }
  return { vertices: count, farthestMm: most * 1000 };
}
