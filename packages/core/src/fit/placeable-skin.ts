import type { Document } from '@gltf-transform/core';
import { createDeformer, type Deformer, floatsOf } from '../character/index.ts';
import { isSkin } from '../wrap/index.ts';
import type { Placeable } from './place-on.ts';

/** A figure's skin at rest, for places to be looked for on it. */
export function placeableSkin(document: Document): Placeable {
  const deformer = createDeformer(document, isSkin, false);
  return placeableOf(deformer, deformer.evaluate(new Float32Array(deformer.vertices * 3)));
}

/** @param positions of all its vertices, xyz */
export const placeableOf = ({ indices, ranges }: Deformer, positions: Float32Array): Placeable => ({
  positions,
  indices,
  parts: ranges.map(({ part, firstVertex, firstTriangle, triangles }) => {
    const uv = part.prim.getAttribute('TEXCOORD_0');
    return { name: part.id, firstVertex, firstTriangle, triangles, uv: uv && floatsOf(uv) };
  }),
});
