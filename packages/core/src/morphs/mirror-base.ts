import type { Document, Primitive } from '@gltf-transform/core';
import { floatsOf, trianglesOf } from '../character/index.ts';
import { invertAffine } from '../geometry/index.ts';
import { surfaceTurns, turned } from '../rig/index.ts';
import { intoCharacter, intoMesh } from './frames.ts';
import { type MirrorPairs, sideOfVertex } from './mirror-pairs.ts';
import type { Side } from './sides.ts';
import { inMesh, type Sheet } from './standing.ts';
import { combined } from './stencil.ts';

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
  const { rest, corner, middle } = pairs,
    place = new Float64Array(3),
    s = from === 'left' ? 1 : -1,
    moved = new Float32Array(rest.length),
    told: MirroredBase = { vertices: 0, farthestMm: 0 };
  for (let v = 0; v < rest.length / 3; v++) {
    const side = sideOfVertex(pairs, v);
    if (side === s || corner[v * 3] < 0) continue;
    combined(place, pairs, v, rest);
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
    bent = pairs.sheets.flatMap((sheet) => {
      const { prim } = sheet.part,
        position = prim.getAttribute('POSITION');
      if (!position || done.has(prim)) return [];
      done.add(prim);
      const before = floatsOf(position),
        delta = inMesh(sheet, moved),
        after = before.map((value, k) => value + delta[k]),
        normal = prim.getAttribute('NORMAL');
      return [{ sheet, prim, before, after, normals: normal && floatsOf(normal), indices: trianglesOf(prim) }];
    }),
    turns = surfaceTurns(bent);
  // Taken before any is changed: a part may have its partners in another.
  const normals = gatherNormals(pairs);
  bent.forEach(({ sheet, prim, after }, i) => {
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
        put(mirroredNormals(pairs, sheet, turned(turns[i], floatsOf(normal), 3), normals, s), 'VEC3'),
      );
    if (tangent) prim.setAttribute('TANGENT', put(turned(turns[i], floatsOf(tangent), 4), 'VEC4'));
  });
}

/** Unit normals of every vertex in character space. */
function gatherNormals({ sheets, rest }: MirrorPairs): Float32Array {
  const out = new Float32Array(rest.length),
    d = new Float64Array(3);
  for (const { part, first, vertices, frames } of sheets) {
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
  { first, vertices, frames }: Sheet,
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
