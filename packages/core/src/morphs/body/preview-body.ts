import type { Document, Primitive } from '@gltf-transform/core';
import { copyDocument, floatsOf, listParts } from '../../character/index.ts';
import { movementsByPart, standing } from '../standing.ts';
import { type BodyWanted, reachBody } from './reach-body.ts';

/**
 * How far vertices would go for a height and a build, of a figure that stands; `document` stays as it is.
 * @param moved where vertices have gone already, in their mesh: part id → xyz; joints are taken where they were
 * @returns movements in the mesh, `moved` among them, and the height that is reached, centimetres
 */
export function previewBody(
  document: Document,
  moved: ReadonlyMap<string, Float32Array> | null,
  wanted: BodyWanted,
): { offsets: Map<string, Float32Array>; heightCm: number } {
  const before = standing(document),
    copy = copyDocument(document);
  if (moved) moveBase(copy, moved);
  const { height } = reachBody(copy, wanted),
    after = standing(copy).rest,
    gone = after.map((x, i) => x - before.rest[i]);
  return { offsets: movementsByPart(before, gone), heightCm: height[1] };
}

function moveBase(document: Document, moved: ReadonlyMap<string, Float32Array>): void {
  const done = new Set<Primitive>();
  for (const { id, prim } of listParts(document)) {
    const position = prim.getAttribute('POSITION'),
      offset = moved.get(id);
    if (!position || !offset || done.has(prim)) continue;
    done.add(prim);
    prim.setAttribute(
      'POSITION',
      document
        .createAccessor()
        .setType('VEC3')
        .setArray(floatsOf(position).map((x, i) => x + offset[i]) as Float32Array<ArrayBuffer>),
    );
  }
}
