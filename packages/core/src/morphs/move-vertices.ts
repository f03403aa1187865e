import type { Document, Primitive } from '@gltf-transform/core';
import { floatsOf, trianglesOf } from '../character/index.ts';
import { surfaceTurns, turned } from '../rig/index.ts';
import { inMesh, type Sheet } from './standing.ts';

/**
 * Moves the vertices of a figure at rest. Normals and tangents turn as the surface does.
 * @param moved xyz of every vertex in character space, metres
 * @param normals asked once what was moved is known: gives a part its normals, given the turned ones
 */
export function moveVertices(
  document: Document,
  sheets: readonly Sheet[],
  moved: Float32Array,
  normals: (sheet: Sheet, turned: Float32Array) => Float32Array = (_, own) => own,
): void {
  const done = new Set<Primitive>(),
    bent = sheets.flatMap((sheet) => {
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
  bent.forEach(({ sheet, prim, after }, i) => {
    const put = (array: Float32Array, type: 'VEC3' | 'VEC4') =>
      document
        .createAccessor()
        .setType(type)
        .setArray(array as Float32Array<ArrayBuffer>);
    prim.setAttribute('POSITION', put(after, 'VEC3'));
    const normal = prim.getAttribute('NORMAL'),
      tangent = prim.getAttribute('TANGENT');
    if (normal) prim.setAttribute('NORMAL', put(normals(sheet, turned(turns[i], floatsOf(normal), 3)), 'VEC3'));
    if (tangent) prim.setAttribute('TANGENT', put(turned(turns[i], floatsOf(tangent), 4), 'VEC4'));
  });
}
