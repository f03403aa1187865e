import type { Document, Primitive } from '@gltf-transform/core';
import { floatsOf, morphNamesOf, trianglesOf } from '../character/index.ts';
import { invertAffine } from '../geometry/index.ts';
import { surfaceTurns, turned } from '../rig/index.ts';
import { deltaOf, putDelta } from './deltas.ts';
import { intoCharacter, intoMesh } from './frames.ts';
import { type MirrorPairs, sideOfVertex } from './mirror-pairs.ts';
import { kept, rewriteMorphs } from './rewrite.ts';
import { flippedName, type Side } from './sides.ts';

/** What of a movement a vertex takes: its own, its partner's in the mirror, or what both sides share. */
type Take = 'own' | 'partner' | 'middle';

/** Copies one side of morphs onto the other. @returns vertices that move otherwise than before */
export function mirrorMorphs(document: Document, pairs: MirrorPairs, names: readonly string[], from: Side): number {
  const s = from === 'left' ? 1 : -1;
  let changed = 0;
  eachMorph(
    document,
    pairs,
    names,
    (name) => name,
    (v) => {
      const side = sideOfVertex(pairs, v);
      return side === 0 ? 'middle' : side === s ? 'own' : 'partner';
    },
    (count) => {
      changed += count;
    },
  );
  return changed;
}

/** Makes the mirror image of morphs, under the name of the other side; one that is there already is replaced. @returns names made */
export function flipMorphs(document: Document, pairs: MirrorPairs, names: readonly string[]): string[] {
  const made = names.map(flippedName);
  eachMorph(document, pairs, names, flippedName, () => 'partner');
  return made;
}

/** Gives every part that has a morph, or mirrors one that has it, another movement under `rename(name)`. */
function eachMorph(
  document: Document,
  pairs: MirrorPairs,
  names: readonly string[],
  rename: (name: string) => string,
  take: (vertex: number) => Take,
  told?: (changed: number) => void,
): void {
  for (const name of names) {
    const to = rename(name),
      deltas = { POSITION: gather(pairs, name, 'POSITION'), NORMAL: gather(pairs, name, 'NORMAL') };
    if (!deltas.POSITION) continue;
    const fresh = {
      POSITION: mirrored(pairs, deltas.POSITION, take),
      NORMAL: deltas.NORMAL && mirrored(pairs, deltas.NORMAL, take),
    };
    told?.(differing(deltas.POSITION, fresh.POSITION));
    const meshes = new Set(pairs.parts.map(({ part }) => part.mesh));
    for (const mesh of meshes) {
      const own = morphNamesOf(mesh),
        ranges = pairs.parts.filter(({ part }) => part.mesh === mesh),
        moves = ranges.some(({ first, vertices }) => anyIn(fresh.POSITION, first, vertices));
      if (!own.includes(to) && !moves) continue;
      const entry = {
        name: to,
        follows: own.indexOf(to),
        target: (prim: Primitive) => {
          const range = ranges.find(({ part }) => part.prim === prim);
          if (!range) return null;
          const target = document.createPrimitiveTarget(to);
          putDelta(document, target, 'POSITION', back(range, fresh.POSITION));
          if (fresh.NORMAL && prim.getAttribute('NORMAL'))
            putDelta(document, target, 'NORMAL', back(range, fresh.NORMAL));
          return target;
        },
      };
      const list = own.map((each, i) => (each === to ? entry : kept(each, i)));
      rewriteMorphs(document, mesh, own.includes(to) ? list : [...list, entry]);
    }
  }
}

/** 1 for vertices that one of the morphs moves. */
export function movedBy(pairs: MirrorPairs, names: readonly string[]): Uint8Array {
  const out = new Uint8Array(pairs.rest.length / 3);
  for (const name of names) {
    const delta = gather(pairs, name, 'POSITION');
    if (delta) for (let i = 0; i < delta.length; i++) if (delta[i]) out[Math.floor(i / 3)] = 1;
  }
  return out;
}

/** A morph's movement over all vertices of the figure, in character space; null where no part has it. */
function gather({ parts, rest }: MirrorPairs, name: string, of: 'POSITION' | 'NORMAL'): Float32Array | null {
  const out = new Float32Array(rest.length),
    d = new Float64Array(3);
  let found = false;
  for (const { part, first, vertices, frames } of parts) {
    // Steps before may have given the part another list than it had when it was paired.
    const delta = deltaOf(part.prim.listTargets()[morphNamesOf(part.mesh).indexOf(name)], of);
    if (!delta) continue;
    found = true;
    for (let v = 0; v < vertices; v++) {
      intoCharacter(d, frames, v, delta[v * 3], delta[v * 3 + 1], delta[v * 3 + 2]);
      out.set(d, (first + v) * 3);
    }
  }
  return found ? out : null;
}

function mirrored({ corner, share }: MirrorPairs, delta: Float32Array, take: (vertex: number) => Take): Float32Array {
  const out = new Float32Array(delta.length);
  for (let v = 0; v < out.length / 3; v++) {
    const what = take(v);
    if (what === 'own') {
      for (let k = v * 3; k < v * 3 + 3; k++) out[k] = delta[k];
      continue;
    }
    let x = 0,
      y = 0,
      z = 0;
    for (let k = v * 3; k < v * 3 + 3; k++) {
      const u = corner[k];
      if (u < 0) continue;
      x -= share[k] * delta[u * 3];
      y += share[k] * delta[u * 3 + 1];
      z += share[k] * delta[u * 3 + 2];
    }
    out[v * 3] = what === 'middle' ? 0 : x;
    out[v * 3 + 1] = y;
    out[v * 3 + 2] = z;
  }
  return out;
}

function differing(a: Float32Array, b: Float32Array): number {
  let count = 0;
  for (let i = 0; i < a.length; i += 3)
    if (Math.hypot(a[i] - b[i], a[i + 1] - b[i + 1], a[i + 2] - b[i + 2]) > 1e-6) count++;
  return count;
}
function anyIn(values: Float32Array, first: number, vertices: number): boolean {
  for (let i = first * 3; i < (first + vertices) * 3; i++) if (values[i]) return true;
  return false;
}

/** A stretch of movements back into its part's mesh. */
function back({ first, vertices, frames }: MirrorPairs['parts'][number], all: Float32Array): Float32Array {
  const out = all.slice(first * 3, (first + vertices) * 3),
    d = new Float64Array(3);
  if (frames)
    for (let v = 0; v < vertices; v++) {
      d.set(out.subarray(v * 3, v * 3 + 3));
      intoMesh(d, frames, v);
      out.set(d, v * 3);
    }
  return out;
}

export interface MirroredBase {
  /** Vertices that stand elsewhere now, and how far the farthest went, millimetres. */
  vertices: number;
  farthestMm: number;
}

/**
 * Gives the other side of the shape at rest the mirror image of one side; the middle goes onto the plane. Normals with a
 * partner are its mirrored ones, others and tangents turn as the surface does.
 */
export function mirrorBase(document: Document, pairs: MirrorPairs, from: Side): MirroredBase {
  const { rest, corner, share, middle } = pairs,
    s = from === 'left' ? 1 : -1,
    moved = new Float32Array(rest.length),
    told: MirroredBase = { vertices: 0, farthestMm: 0 };
  for (let v = 0; v < rest.length / 3; v++) {
    const side = sideOfVertex(pairs, v);
    if (side === s || corner[v * 3] < 0) continue;
    const place = [0, 0, 0];
    for (let k = v * 3; k < v * 3 + 3; k++) {
      const u = corner[k];
      if (u >= 0) for (let c = 0; c < 3; c++) place[c] += share[k] * rest[u * 3 + c];
    }
    place[0] = side === 0 ? middle : 2 * middle - place[0];
    for (let c = 0; c < 3; c++) moved[v * 3 + c] = place[c] - rest[v * 3 + c];
    const d = Math.hypot(moved[v * 3], moved[v * 3 + 1], moved[v * 3 + 2]) * 1000;
    if (d > 1e-3) told.vertices++;
    told.farthestMm = Math.max(told.farthestMm, d);
  }
  moveParts(document, pairs, moved, s);
  return told;
}

function moveParts(document: Document, pairs: MirrorPairs, moved: Float32Array, s: number): void {
  const done = new Set<Primitive>(),
    sheets = pairs.parts.flatMap((range) => {
      const { prim } = range.part,
        position = prim.getAttribute('POSITION');
      if (!position || done.has(prim)) return [];
      done.add(prim);
      const before = floatsOf(position),
        delta = back(range, moved),
        after = before.map((value, k) => value + delta[k]),
        normal = prim.getAttribute('NORMAL');
      return [{ range, prim, before, after, normals: normal && floatsOf(normal), indices: trianglesOf(prim) }];
    }),
    turns = surfaceTurns(sheets);
  // Taken before any is changed: a part may have its partners in another.
  const normals = gatherNormals(pairs);
  sheets.forEach(({ range, prim, after }, i) => {
    const put = (array: Float32Array, type: 'VEC3' | 'VEC4') =>
      document
        .createAccessor()
        .setType(type)
        .setArray(array as Float32Array<ArrayBuffer>);
    prim.setAttribute('POSITION', put(after, 'VEC3'));
    const normal = prim.getAttribute('NORMAL'),
      tangent = prim.getAttribute('TANGENT');
    if (normal)
      prim.setAttribute(
        'NORMAL',
        put(mirroredNormals(pairs, range, turned(turns[i], floatsOf(normal), 3), normals, s), 'VEC3'),
      );
    if (tangent) prim.setAttribute('TANGENT', put(turned(turns[i], floatsOf(tangent), 4), 'VEC4'));
  });
}

/** Unit normals of every vertex in character space. */
function gatherNormals({ parts, rest }: MirrorPairs): Float32Array {
  const out = new Float32Array(rest.length),
    d = new Float64Array(3);
  for (const { part, first, vertices, frames } of parts) {
    const normal = part.prim.getAttribute('NORMAL'),
      values = normal && floatsOf(normal),
      upright = frames && inverseTransposed(frames);
    if (!values) continue;
    for (let v = 0; v < vertices; v++) {
      intoCharacter(d, upright, v, values[v * 3], values[v * 3 + 1], values[v * 3 + 2]);
      out.set(d, (first + v) * 3);
    }
  }
  return out;
}

/** What turns normals where a frame turns directions: nine numbers a vertex. */
function inverseTransposed(frames: Float64Array): Float64Array {
  const out = new Float64Array(frames.length),
    m = new Float64Array(16),
    inverse = new Float64Array(16);
  for (let o = 0; o < frames.length; o += 9) {
    for (let r = 0; r < 3; r++) for (let c = 0; c < 3; c++) m[c * 4 + r] = frames[o + r * 3 + c];
    m[15] = 1;
    invertAffine(inverse, 0, m, 0);
    for (let r = 0; r < 3; r++) for (let c = 0; c < 3; c++) out[o + r * 3 + c] = inverse[r * 4 + c];
  }
  return out;
}

function mirroredNormals(
  pairs: MirrorPairs,
  { first, vertices, frames }: MirrorPairs['parts'][number],
  own: Float32Array,
  all: Float32Array,
  s: number,
): Float32Array {
  const upright = frames && inverseTransposed(frames),
    d = new Float64Array(3);
  for (let v = 0; v < vertices; v++) {
    const side = sideOfVertex(pairs, first + v);
    if (side === s || !pairs.paired[first + v]) continue;
    const u = pairs.corner[(first + v) * 3] * 3;
    d[0] = side === 0 ? 0 : -all[u];
    d[1] = all[u + 1];
    d[2] = all[u + 2];
    intoMesh(d, upright, v);
    const l = Math.hypot(d[0], d[1], d[2]);
    if (l > 0) for (let k = 0; k < 3; k++) own[v * 3 + k] = d[k] / l;
  }
  return own;
}
