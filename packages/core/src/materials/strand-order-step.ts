import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import {
  createDeformer,
  type Ground,
  groundOf,
  heightAbove,
  isUnderStrands,
  listParts,
  type Part,
  trianglesOf,
} from '../character/index.ts';
import { measure } from '../measures.ts';
import { defineStep } from '../step.ts';

/** Strands that are blended on the target: what a usual engine draws in the order of their triangles. */
const blendedStrands = (document: Document): Part[] =>
  listParts(document).filter(({ kind, material }) => kind === 'hair' && material?.getAlphaMode() === 'BLEND');

/**
 * Hair that is blended is drawn from the inside out, so that layers lie over each other rightly without being sorted. Stands
 * with the reduction, which it comes after: the line never goes back.
 */
export const strandOrderStep = defineStep({
  id: 'materials.strand-order',
  station: 'reduce',
  title: 'Order of strands',
  says: 'Triangles of blended hair are put in order from the head outwards: engines draw them as they come.',
  needs: ['S3'],
  settings: v.object({}),
  reads: () => null,
  applies: (document) => blendedStrands(document).length > 0,
  async run(document) {
    return { measures: [measure('triangles-ordered', 0, orderStrands(document))], findings: [] };
  },
});

/** Puts the triangles of all blended hair in order. @returns those that are in another place than before */
export function orderStrands(document: Document): number {
  const deformer = createDeformer(document, () => true, false),
    positions = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    ground = groundOf(deformer, positions, isUnderStrands);
  let ordered = 0;
  for (const part of ground ? blendedStrands(document) : []) {
    const range = deformer.ranges.find((one) => one.part.prim === part.prim && one.part.node === part.node);
    if (range) ordered += putInOrder(document, part, positions, range.firstVertex, ground as Ground);
  }
  return ordered;
}

/** @returns triangles that are in another place than before */
function putInOrder(
  document: Document,
  { prim }: Part,
  positions: Float32Array,
  first: number,
  ground: Ground,
): number {
  const indices = trianglesOf(prim),
    triangles = indices.length / 3,
    far = new Float64Array(triangles);
  for (let t = 0; t < triangles; t++) {
    const middle = [0, 0, 0];
    for (let k = 0; k < 9; k++)
      middle[k % 3] += positions[(first + indices[t * 3 + Math.floor(k / 3)]) * 3 + (k % 3)] / 3;
    far[t] = heightAbove(ground, middle[0], middle[1], middle[2]);
  }
  const order = Array.from(far.keys()).sort((a, b) => far[a] - far[b] || a - b),
    next = new Uint32Array(indices.length);
  order.forEach((from, to) => next.set(indices.subarray(from * 3, from * 3 + 3), to * 3));
  const small = (prim.getAttribute('POSITION')?.getCount() ?? 0) <= 65_535;
  prim.setIndices(
    document
      .createAccessor()
      .setType('SCALAR')
      .setArray(small ? Uint16Array.from(next) : next),
  );
  return order.filter((from, to) => from !== to).length;
}
