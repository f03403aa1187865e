import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { createDeformer, type Deformer, listParts, type Part, trianglesOf } from '../character/index.ts';
import { TriangleTree } from '../geometry/index.ts';
import { measure } from '../measures.ts';
import { defineStep } from '../step.ts';

/** What strands lie on. */
const GROUND = new Set(['head', 'scalp', 'body']);

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
    const deformer = createDeformer(document, () => true, false),
      positions = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
      ground = groundOf(deformer, positions);
    let ordered = 0;
    for (const part of ground ? blendedStrands(document) : []) {
      const range = deformer.ranges.find((one) => one.part.prim === part.prim && one.part.node === part.node);
      if (range) ordered += putInOrder(document, part, positions, range.firstVertex, ground as Ground);
    }
    return { measures: [measure('triangles-ordered', 0, ordered)], findings: [] };
  },
});

interface Ground {
  tree: TriangleTree;
  positions: Float32Array;
  corners: Uint32Array;
}

/** How far a point lies from the ground, metres; below nought under it. */
function heightAbove({ tree, positions, corners }: Ground, x: number, y: number, z: number): number {
  const far = tree.closest(x, y, z),
    [a, b, c] = [0, 1, 2].map((k) => corners[tree.hit.triangle * 3 + k] * 3),
    edge = (to: number, k: number) => positions[to + k] - positions[a + k];
  const nx = edge(b, 1) * edge(c, 2) - edge(b, 2) * edge(c, 1),
    ny = edge(b, 2) * edge(c, 0) - edge(b, 0) * edge(c, 2),
    nz = edge(b, 0) * edge(c, 1) - edge(b, 1) * edge(c, 0);
  const above = nx * (x - positions[a]) + ny * (y - positions[a + 1]) + nz * (z - positions[a + 2]);
  return above < 0 ? -far : far;
}

/** The surfaces that strands lie on; null where there are none. */
function groundOf({ ranges, indices }: Deformer, positions: Float32Array): Ground | null {
  const solid = ranges.filter(({ part }) => GROUND.has(part.role) && part.material?.getAlphaMode() !== 'BLEND'),
    corners = new Uint32Array(solid.reduce((sum, { triangles }) => sum + triangles * 3, 0));
  let at = 0;
  for (const { firstTriangle, triangles } of solid) {
    corners.set(indices.subarray(firstTriangle * 3, (firstTriangle + triangles) * 3), at);
    at += triangles * 3;
  }
  return corners.length ? { tree: new TriangleTree(positions, corners), positions, corners } : null;
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
