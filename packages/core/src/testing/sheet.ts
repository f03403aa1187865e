import type { Document, Primitive } from '@gltf-transform/core';

/**
 * Two triangles of four corners, lower left first, against the clock.
 * @param corners x, y, z of each
 * @param uv u, v of each; all of a map where left out
 */
export function sheetOf(document: Document, corners: number[], uv: number[] = [0, 1, 1, 1, 1, 0, 0, 0]): Primitive {
  const array = (type: 'VEC2' | 'VEC3', values: number[]) =>
    document.createAccessor().setType(type).setArray(Float32Array.from(values));
  return document
    .createPrimitive()
    .setAttribute('POSITION', array('VEC3', corners))
    .setAttribute('TEXCOORD_0', array('VEC2', uv))
    .setIndices(
      document
        .createAccessor()
        .setType('SCALAR')
        .setArray(Uint16Array.of(0, 1, 2, 0, 2, 3)),
    );
}
