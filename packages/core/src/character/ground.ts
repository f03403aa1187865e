import { TriangleTree } from '../geometry/index.ts';
import type { Deformer } from './deform.ts';
import type { Part } from './parts.ts';

/** Surfaces that others lie on, as they stand at rest. */
export interface Ground {
  tree: TriangleTree;
  positions: Float32Array;
  corners: Uint32Array;
}

/** What strands lie on: a scalp also where its edge is soft. */
export const isUnderStrands = ({ role, material }: Part): boolean =>
  role === 'scalp' || ((role === 'head' || role === 'body') && material?.getAlphaMode() !== 'BLEND');

/** @param positions of the deformer's vertices, metres @returns null where there is no such surface */
export function groundOf(
  { ranges, indices }: Deformer,
  positions: Float32Array,
  isGround: (part: Part) => boolean,
): Ground | null {
  const solid = ranges.filter(({ part }) => isGround(part)),
    corners = new Uint32Array(solid.reduce((sum, { triangles }) => sum + triangles * 3, 0));
  let at = 0;
  for (const { firstTriangle, triangles } of solid) {
    corners.set(indices.subarray(firstTriangle * 3, (firstTriangle + triangles) * 3), at);
    at += triangles * 3;
  }
  return corners.length ? { tree: new TriangleTree(positions, corners), positions, corners } : null;
}

/** Which way a triangle of the ground looks, as long as twice its area. */
export function facingOf({ positions, corners }: Ground, triangle: number): [number, number, number] {
  const [a, b, c] = [0, 1, 2].map((k) => corners[triangle * 3 + k] * 3),
    edge = (to: number, k: number) => positions[to + k] - positions[a + k];
  return [
    edge(b, 1) * edge(c, 2) - edge(b, 2) * edge(c, 1),
    edge(b, 2) * edge(c, 0) - edge(b, 0) * edge(c, 2),
    edge(b, 0) * edge(c, 1) - edge(b, 1) * edge(c, 0),
  ];
}

/** How far a point lies above the ground nearest to it, metres; below nought under it. The triangle is left in the tree's `hit`. */
export function heightAbove(ground: Ground, x: number, y: number, z: number): number {
  const { tree, positions, corners } = ground,
    far = tree.closest(x, y, z),
    a = corners[tree.hit.triangle * 3] * 3,
    [nx, ny, nz] = facingOf(ground, tree.hit.triangle),
    above = nx * (x - positions[a]) + ny * (y - positions[a + 1]) + nz * (z - positions[a + 2]);
  return above < 0 ? -far : far;
}
