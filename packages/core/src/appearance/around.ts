import type { Document } from '@gltf-transform/core';
import { createDeformer, type Deformer, type Part } from '../character/index.ts';
import { type Camera, lookAt } from './camera.ts';
import { PLAIN } from './material.ts';
import { Raster } from './raster.ts';
import { middlesOf, type Scene } from './scene.ts';

/** Pixels along a picture. */
export const SIZE = 192;
/** Degrees around and above: from all sides, from above, and from below into hems and sleeves. */
const SIDES: readonly (readonly [yaw: number, pitch: number])[] = [
  ...[0, 60, 120, 180, 240, 300].map((yaw) => [yaw, 8] as const),
  ...[30, 210].map((yaw) => [yaw, 50] as const),
  ...[90, 270].map((yaw) => [yaw, -30] as const),
];
const BOTH_SIDES = [{ ...PLAIN, doubleSided: true }],
  FRONTS = [PLAIN];

/** What is seen from one side: triangles by pixel, −1 for none; drawn from both sides, and with fronts alone. */
export interface Seen {
  both: Int32Array;
  fronts: Int32Array;
}

/**
 * Draws a figure at rest as if all of it were solid, from ten sides of the whole and of its head, and tells of each.
 * @param filter parts that are drawn
 * @returns the figure's triangles and the part of each
 */
export function lookAround(
  document: Document,
  filter: (part: Part) => boolean,
  tell: (seen: Seen, drawn: { deformer: Deformer; partOf: Uint16Array }) => void,
): { deformer: Deformer; partOf: Uint16Array } {
  const { scene, ...drawn } = sceneAround(document, filter);
  if (!scene) return drawn;
  const raster = new Raster(SIZE),
    middles = middlesOf(scene);
  for (const camera of camerasAround(scene)) {
    raster.draw(scene, camera, middles);
    const both = raster.solid.slice();
    raster.redraw({ ...scene, materials: FRONTS }, camera, middles);
    tell({ both, fronts: raster.solid }, drawn);
  }
  return drawn;
}

/** A figure at rest as if all of it were solid and seen from both sides; no scene where nothing is drawn. */
export function sceneAround(
  document: Document,
  filter: (part: Part) => boolean,
): { scene: Scene | null; deformer: Deformer; partOf: Uint16Array } {
  const deformer = createDeformer(document, filter, false),
    { ranges, indices, vertices } = deformer,
    partOf = new Uint16Array(indices.length / 3);
  if (!vertices) return { scene: null, deformer, partOf };
  for (const [id, { firstTriangle, triangles }] of ranges.entries())
    partOf.fill(id, firstTriangle, firstTriangle + triangles);
  const scene: Scene = {
    vertices,
    position: deformer.evaluate(new Float32Array(vertices * 3)),
    normal: new Float32Array(0),
    uv: [],
    color: null,
    index: indices,
    partOf,
    parts: ranges.map(({ part, ...range }) => ({ name: part.name, role: part.role, material: 0, ...range })),
    materials: BOTH_SIDES,
  };
  return { scene, deformer, partOf };
}

/** From ten sides of the whole and of its head. */
export function camerasAround({ position, vertices }: Scene): Camera[] {
  const low = [Infinity, Infinity, Infinity],
    high = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < vertices * 3; i++) {
    if (position[i] < low[i % 3]) low[i % 3] = position[i];
    if (position[i] > high[i % 3]) high[i % 3] = position[i];
  }
  const tall = Math.max(...high.map((x, k) => x - low[k])),
    middle = high.map((x, k) => (x + low[k]) / 2) as [number, number, number],
    // The upper eighth of a standing person, and what lies around it.
    head: [number, number, number] = [middle[0], high[1] - (high[1] - low[1]) * 0.08, middle[2]];
  return SIDES.flatMap(([yaw, pitch]) => [
    lookAt(middle, tall * 1.1, yaw, pitch),
    lookAt(head, (high[1] - low[1]) * 0.22, yaw, pitch),
  ]);
}
