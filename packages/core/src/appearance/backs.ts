import type { Document, Material } from '@gltf-transform/core';
import { CLEAR_KINDS, createDeformer } from '../character/index.ts';
import { type Camera, lookAt } from './camera.ts';
import { PLAIN } from './material.ts';
import { Raster } from './raster.ts';
import { middlesOf, type Scene } from './scene.ts';

const SIZE = 256;
/** Degrees around and above: from all sides, from above, and from below into hems and sleeves. */
const SIDES: readonly (readonly [yaw: number, pitch: number])[] = [
  ...[0, 45, 90, 135, 180, 225, 270, 315].map((yaw) => [yaw, 8] as const),
  ...[30, 120, 210, 300].map((yaw) => [yaw, 50] as const),
  ...[60, 150, 240, 330].map((yaw) => [yaw, -30] as const),
];
const BOTH_SIDES = [{ ...PLAIN, doubleSided: true }];

/**
 * How much of what is seen of each material are its back faces, 0 … 1: linings and cards that have to be drawn from both
 * sides. Everything but clear layers is drawn as solid, from sixteen sides of the whole figure and of its head.
 */
export function backsSeen(document: Document): Map<Material | null, number> {
  const deformer = createDeformer(document, ({ kind }) => !CLEAR_KINDS.includes(kind), false),
    { ranges, indices, vertices } = deformer,
    partOf = new Uint16Array(indices.length / 3),
    seen = new Map<Material | null, { back: number; all: number }>();
  if (!vertices) return new Map();
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
  const raster = new Raster(SIZE),
    middles = middlesOf(scene);
  for (const camera of cameras(scene)) {
    raster.draw(scene, camera, middles);
    for (const triangle of raster.solid) {
      if (triangle < 0) continue;
      const { material } = ranges[partOf[triangle]].part,
        count = seen.get(material) ?? { back: 0, all: 0 };
      count.all++;
      if (turnedAway(scene, camera, triangle)) count.back++;
      seen.set(material, count);
    }
  }
  return new Map([...seen].map(([material, { back, all }]) => [material, back / all]));
}

function cameras({ position, vertices }: Scene): Camera[] {
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

function turnedAway({ position, index }: Scene, { eye }: Camera, triangle: number): boolean {
  const [a, b, c] = [0, 1, 2].map((k) => index[triangle * 3 + k] * 3),
    ux = position[b] - position[a],
    uy = position[b + 1] - position[a + 1],
    uz = position[b + 2] - position[a + 2],
    vx = position[c] - position[a],
    vy = position[c + 1] - position[a + 1],
    vz = position[c + 2] - position[a + 2];
  return (
    (uy * vz - uz * vy) * (eye[0] - position[a]) +
      (uz * vx - ux * vz) * (eye[1] - position[a + 1]) +
      (ux * vy - uy * vx) * (eye[2] - position[a + 2]) <
    0
  );
}
