import type { Document, Primitive } from '@gltf-transform/core';
import {
  createDeformer,
  type Deformer,
  type MaterialKind,
  morphNamesOf,
  type Part,
  trianglesOf,
} from '../character/index.ts';
import { apart, hangingTogether, TriangleTree, vertexNormals, weldByPlace } from '../geometry/index.ts';
import { deltaOf, putDelta } from './deltas.ts';
import { intoCharacter, intoMesh, restFrames } from './frames.ts';
import { kept, rewriteMorphs } from './rewrite.ts';

/** How a part without a morph goes along with the skin that has it. */
export interface Carrying {
  /** As far from the skin as it is carried, metres; from three fifths of that on less and less. */
  reach: number;
  /** Rounds in which what is carried takes on its neighbours'. */
  rounds: number;
  /** Strands: what stands off goes with the nearest vertex of its piece that sits on the skin. */
  rooted?: boolean;
}
const CLOSE: Carrying = { reach: 0.02, rounds: 0, rooted: true },
  LOOSE: Carrying = { reach: 0.06, rounds: 8 };
const FADES = 0.6;

/** Lies on the face and moves with whatever it does; the rest goes along with a body that is built otherwise. */
const ON_FACE: readonly MaterialKind[] = ['lash', 'brow', 'tear', 'beard'],
  WORN: readonly MaterialKind[] = [
    'hair',
    'scalp',
    'nail',
    'cloth',
    'knit',
    'leather',
    'rubber',
    'plastic',
    'metal',
    'glass',
    'other',
  ];
export const carriedAs = (kind: MaterialKind): Carrying | null =>
  ON_FACE.includes(kind)
    ? CLOSE
    : kind === 'hair' || kind === 'scalp' || kind === 'nail'
      ? CLOSE
      : WORN.includes(kind)
        ? LOOSE
        : null;
const SKIN: readonly MaterialKind[] = ['skin', 'lips'];

interface Sheet {
  part: Part;
  first: number;
  vertices: number;
  frames: Float64Array | null;
}
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
 * @param report called before each morph; may throw to stop
 */
export function carryMorphs(
  document: Document,
  names: readonly string[],
  goes: (part: Part, morph: string) => boolean = () => true,
  report: (fraction: number, morph: string) => void = () => {},
): Carried[] {
  const deformer = createDeformer(document, () => true, false),
    rest = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    sheets = sheetsOf(deformer),
    out: Carried[] = [],
    places = new Map<Sheet, OnSkin>();
  let ground: Ground | null = null;
  for (const [i, name] of names.entries()) {
    report(i / names.length, name);
    const has = ({ part }: Sheet) => movesIn(part, name),
      skin = sheets.filter((sheet) => SKIN.includes(sheet.part.kind) && has(sheet));
    if (!skin.length) continue;
    ground ??= groundOf(
      sheets.filter((sheet) => SKIN.includes(sheet.part.kind)),
      rest,
    );
    const moved = movement(ground, name);
    for (const sheet of sheets) {
      const how = carriedAs(sheet.part.kind);
      if (!how || has(sheet) || !goes(sheet.part, name)) continue;
      let on = places.get(sheet);
      if (!on) places.set(sheet, (on = placeOnSkin(sheet, rest, ground, how)));
      const delta = carriedDelta(sheet, rest, ground, moved, on, how);
      const told = reach(delta);
      if (!told.vertices) continue;
      putMorph(document, sheet, name, delta);
      out.push({ name, part: sheet.part.id, ...told });
    }
  }
  return out;
}

const sheetsOf = ({ ranges, skeleton }: Deformer): Sheet[] => {
  const seen = new Set<Primitive>();
  return ranges.flatMap(({ part, firstVertex, vertices }) => {
    if (seen.has(part.prim)) return [];
    seen.add(part.prim);
    return [{ part, first: firstVertex, vertices, frames: restFrames(part, skeleton) }];
  });
};

/** Whether a part has a movement of its own under a name. */
export function movesIn({ prim, mesh }: Part, name: string): boolean {
  const delta = deltaOf(prim.listTargets()[morphNamesOf(mesh).indexOf(name)], 'POSITION');
  return delta?.some((value) => value !== 0) ?? false;
}

/** All skin of a figure as one surface at rest. */
interface Ground {
  sheets: readonly Sheet[];
  positions: Float32Array;
  indices: Uint32Array;
  normals: Float32Array;
  /** Place of each vertex, see `weldByPlace`. */
  pointOf: Uint32Array;
  tree: TriangleTree;
}

function groundOf(sheets: readonly Sheet[], rest: Float32Array): Ground {
  const count = sheets.reduce((sum, { vertices }) => sum + vertices, 0),
    positions = new Float32Array(count * 3),
    indices: number[] = [];
  let at = 0;
  for (const { part, first, vertices } of sheets) {
    positions.set(rest.subarray(first * 3, (first + vertices) * 3), at * 3);
    for (const v of trianglesOf(part.prim)) indices.push(v + at);
    at += vertices;
  }
  const all = Uint32Array.from(indices),
    { pointOf } = weldByPlace(positions);
  return {
    sheets,
    positions,
    indices: all,
    pointOf,
    normals: weldedNormals(positions, all, pointOf),
    tree: new TriangleTree(positions, all),
  };
}

/** Normals that don't break where texture coordinates do. */
function weldedNormals(positions: Float32Array, indices: Uint32Array, pointOf: Uint32Array): Float32Array {
  const sum = new Float64Array(positions.length),
    own = vertexNormals(positions, indices),
    out = new Float32Array(positions.length);
  for (let v = 0; v < pointOf.length; v++) for (let k = 0; k < 3; k++) sum[pointOf[v] * 3 + k] += own[v * 3 + k];
  for (let v = 0; v < pointOf.length; v++) {
    const o = pointOf[v] * 3,
      l = Math.hypot(sum[o], sum[o + 1], sum[o + 2]) || 1;
    for (let k = 0; k < 3; k++) out[v * 3 + k] = sum[o + k] / l;
  }
  return out;
}

/** The skin's movement under a morph in character space, and its normals once moved. */
function movement(
  { sheets, positions, indices, pointOf }: Ground,
  name: string,
): { delta: Float32Array; normals: Float32Array } {
  const delta = new Float32Array(positions.length),
    d = new Float64Array(3);
  let at = 0;
  for (const { part, vertices, frames } of sheets) {
    const own = deltaOf(part.prim.listTargets()[morphNamesOf(part.mesh).indexOf(name)], 'POSITION');
    if (own)
      for (let v = 0; v < vertices; v++) {
        intoCharacter(d, frames, v, own[v * 3], own[v * 3 + 1], own[v * 3 + 2]);
        delta.set(d, (at + v) * 3);
      }
    at += vertices;
  }
  const after = positions.map((value, k) => value + delta[k]);
  return { delta, normals: weldedNormals(after, indices, pointOf) };
}

/** Where each vertex of a part stands over the skin. */
interface OnSkin {
  /** Three corners and their shares, one of each a vertex; −1 where the skin is too far. */
  corner: Int32Array;
  share: Float32Array;
  /** How much of the movement it takes, 0 … 1. */
  takes: Float32Array;
  /** Height over the skin along its normal, metres. */
  height: Float32Array;
}

/** Vertices of a strand within this of its nearest one to the skin sit on it, metres. */
const ROOT = 5e-4;

function placeOnSkin(
  { part, first, vertices }: Sheet,
  rest: Float32Array,
  { tree, indices, positions, normals }: Ground,
  how: Carrying,
): OnSkin {
  const far = how.reach,
    away = new Float32Array(vertices).fill(Infinity);
  const on: OnSkin = {
    corner: new Int32Array(vertices * 3).fill(-1),
    share: new Float32Array(vertices * 3),
    takes: new Float32Array(vertices),
    height: new Float32Array(vertices),
  };
  for (let v = 0; v < vertices; v++) {
    const o = (first + v) * 3,
      d = tree.closest(rest[o], rest[o + 1], rest[o + 2], -1);
    if (!(d < far)) continue;
    const { triangle, v: second, w: third } = tree.hit,
      fade = Math.min(1, (far - d) / (far * (1 - FADES)));
    on.takes[v] = fade * fade * (3 - 2 * fade);
    [1 - second - third, second, third].forEach((share, k) => {
      on.corner[v * 3 + k] = indices[triangle * 3 + k];
      on.share[v * 3 + k] = share;
    });
    away[v] = d;
  }
  if (how.rooted) goWithRoots(on, away, part, rest.subarray(first * 3, (first + vertices) * 3));
  for (let v = 0; v < vertices; v++) {
    if (on.corner[v * 3] < 0) continue;
    const o = (first + v) * 3,
      point = blend(on, v, positions),
      normal = blend(on, v, normals);
    on.height[v] =
      (rest[o] - point[0]) * normal[0] + (rest[o + 1] - point[1]) * normal[1] + (rest[o + 2] - point[2]) * normal[2];
  }
  return on;
}

/** Every piece of a part goes with the skin that its roots sit on: a tip may be nearer to another. */
function goWithRoots(on: OnSkin, away: Float32Array, part: Part, rest: Float32Array): void {
  const { points, pointOf } = weldByPlace(rest),
    piece = hangingTogether(trianglesOf(part.prim), pointOf, points),
    nearest = new Map<number, number>();
  for (let v = 0; v < piece.length; v++)
    if (away[v] < (nearest.get(piece[v]) ?? Infinity)) nearest.set(piece[v], away[v]);
  const roots = new Map<number, number[]>(),
    sits = new Uint8Array(piece.length);
  for (let v = 0; v < piece.length; v++) {
    if (!(away[v] <= (nearest.get(piece[v]) ?? -1) + ROOT)) continue;
    sits[v] = 1;
    const list = roots.get(piece[v]);
    if (list) list.push(v);
    else roots.set(piece[v], [v]);
  }
  for (let v = 0; v < piece.length; v++) {
    const among = roots.get(piece[v]);
    // A piece that lies on the skin with much of it is no strand.
    if (!among || sits[v] || among.length > MANY_ROOTS) continue;
    let root = among[0];
    for (const u of among) if (apart(rest, u, v) < apart(rest, root, v)) root = u;
    for (let k = 0; k < 3; k++) {
      on.corner[v * 3 + k] = on.corner[root * 3 + k];
      on.share[v * 3 + k] = on.share[root * 3 + k];
    }
    on.takes[v] = on.takes[root];
  }
}
const MANY_ROOTS = 200;

function blend({ corner, share }: OnSkin, v: number, values: Float32Array): [number, number, number] {
  const out: [number, number, number] = [0, 0, 0];
  for (let k = v * 3; k < v * 3 + 3; k++) for (let c = 0; c < 3; c++) out[c] += share[k] * values[corner[k] * 3 + c];
  return out;
}

function carriedDelta(
  { part, first, vertices }: Sheet,
  rest: Float32Array,
  { positions }: Ground,
  moved: { delta: Float32Array; normals: Float32Array },
  on: OnSkin,
  { rounds, rooted }: Carrying,
): Float32Array {
  const out = new Float32Array(vertices * 3);
  for (let v = 0; v < vertices; v++) {
    if (on.corner[v * 3] < 0) continue;
    const d = blend(on, v, moved.delta);
    for (let k = 0; k < 3; k++) out[v * 3 + k] = d[k] * on.takes[v];
  }
  evenOut(out, rest.subarray(first * 3, (first + vertices) * 3), trianglesOf(part.prim), rounds);
  // A strand is held by its root alone; its tip may well come nearer to the skin.
  if (rooted) return out;
  for (let v = 0; v < vertices; v++) {
    if (!on.takes[v]) continue;
    const point = blend(on, v, positions),
      go = blend(on, v, moved.delta),
      normal = blend(on, v, moved.normals),
      stands = [0, 1, 2].reduce(
        (sum, k) => sum + (rest[(first + v) * 3 + k] + out[v * 3 + k] - point[k] - go[k]) * normal[k],
        0,
      ),
      missing = (on.height[v] - stands) * on.takes[v];
    if (missing > 0) for (let k = 0; k < 3; k++) out[v * 3 + k] += normal[k] * missing;
  }
  return out;
}

/** Every movement becomes the mean of its neighbours' and its own, `rounds` times; vertices at one place move as one. */
function evenOut(delta: Float32Array, rest: Float32Array, indices: Uint32Array, rounds: number): void {
  const { points, pointOf } = weldByPlace(rest);
  let now = new Float64Array(points * 3);
  for (let v = 0; v < pointOf.length; v++) for (let k = 0; k < 3; k++) now[pointOf[v] * 3 + k] = delta[v * 3 + k];
  for (let round = 0; round < rounds; round++) {
    const sum = new Float64Array(points * 3),
      near = new Float64Array(points);
    for (let t = 0; t + 2 < indices.length; t += 3)
      for (let c = 0; c < 3; c++) {
        const a = pointOf[indices[t + c]],
          b = pointOf[indices[t + ((c + 1) % 3)]];
        near[a]++;
        near[b]++;
        for (let k = 0; k < 3; k++) {
          sum[a * 3 + k] += now[b * 3 + k];
          sum[b * 3 + k] += now[a * 3 + k];
        }
      }
    const next = new Float64Array(points * 3);
    for (let i = 0; i < points; i++)
      for (let k = i * 3; k < i * 3 + 3; k++) next[k] = near[i] ? (now[k] + sum[k] / near[i]) / 2 : now[k];
    now = next;
  }
  for (let v = 0; v < pointOf.length; v++) for (let k = 0; k < 3; k++) delta[v * 3 + k] = now[pointOf[v] * 3 + k];
}

/** Below this a movement is none, metres. */
const NOTHING = 1e-5;
function reach(delta: Float32Array): { vertices: number; farthestMm: number } {
  let vertices = 0,
    most = 0;
  for (let i = 0; i < delta.length; i += 3) {
    const d = Math.hypot(delta[i], delta[i + 1], delta[i + 2]);
    if (d > NOTHING) vertices++;
    else delta.fill(0, i, i + 3);
    if (d > most) most = d;
  }
  return { vertices, farthestMm: most * 1000 };
}

function putMorph(document: Document, { part, vertices, frames }: Sheet, name: string, delta: Float32Array): void {
  const d = new Float64Array(3);
  if (frames)
    for (let v = 0; v < vertices; v++) {
      d.set(delta.subarray(v * 3, v * 3 + 3));
      intoMesh(d, frames, v);
      delta.set(d, v * 3);
    }
  const own = morphNamesOf(part.mesh),
    at = own.indexOf(name),
    target = (prim: Primitive) =>
      prim === part.prim ? putDelta(document, document.createPrimitiveTarget(name), 'POSITION', delta) : null,
    entry = {
      name,
      follows: at,
      target: (prim: Primitive, old: readonly ReturnType<Primitive['listTargets']>[number][]) =>
        target(prim) ?? old[at] ?? null,
    };
  rewriteMorphs(
    document,
    part.mesh,
    at < 0 ? [...own.map(kept), entry] : own.map((each, i) => (i === at ? entry : kept(each, i))),
  );
}
