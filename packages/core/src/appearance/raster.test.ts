import { describe, expect, it } from 'vitest';
import { lookAt, pointAt } from './camera.ts';
import { PLAIN } from './material.ts';
import { Raster } from './raster.ts';
import { middlesOf, type Scene } from './scene.ts';
import { sheets } from '../testing/sheets.ts';

/** A rumpled sheet of small triangles that fills every view of it from the front. */
function rumpled(side: number, through: boolean): Scene {
  let seed = 3;
  const random = () => (seed = (seed * 1664525 + 1013904223) >>> 0) / 2 ** 32;
  const position = new Float32Array(side * side * 3),
    index: number[] = [];
  for (let y = 0; y < side; y++)
    for (let x = 0; x < side; x++) {
      const rim = x === 0 || y === 0 || x === side - 1 || y === side - 1,
        off = () => (rim ? 0 : (random() - 0.5) * 0.35);
      position.set(
        [((x + off()) / (side - 1)) * 4 - 2, ((y + off()) / (side - 1)) * 4 - 2, (random() - 0.5) * 0.02],
        (y * side + x) * 3,
      );
    }
  for (let y = 0; y < side - 1; y++)
    for (let x = 0; x < side - 1; x++) {
      const a = y * side + x,
        [b, c, d] = [a + 1, a + side, a + side + 1];
      index.push(...(random() < 0.5 ? [a, b, d, a, d, c] : [a, b, c, b, d, c]));
    }
  const triangles = index.length / 3,
    vertices = side * side;
  return {
    vertices,
    position,
    normal: position,
    uv: [],
    color: null,
    index: Uint32Array.from(index),
    partOf: new Uint16Array(triangles),
    parts: [{ name: 'sheet', role: 'other', material: 0, firstTriangle: 0, triangles, firstVertex: 0, vertices }],
    materials: [{ ...PLAIN, mode: through ? 'BLEND' : 'OPAQUE', solid: !through }],
  };
}
const drawn = (scene: Scene, camera: ReturnType<typeof lookAt>, size = 256) => {
  const raster = new Raster(size);
  raster.draw(scene, camera, middlesOf(scene));
  return raster;
};

describe('Raster', () => {
  it('leaves no gap between neighbours and hits no pixel twice', () => {
    const scene = rumpled(60, true);
    for (const [height, yaw, pitch] of [
      [1.5, 0, 0],
      [0.4, 8, -5],
      [2.2, -12, 9],
    ]) {
      const raster = drawn(scene, lookAt([0.1, -0.2, 0], height, yaw, pitch));
      const bare = raster.last.filter((layer) => layer < 0).length,
        twice = raster.last.filter((layer) => layer >= 0 && raster.layerBefore[layer] >= 0).length;
      expect([bare, twice]).toEqual([0, 0]);
    }
  });
  it('cuts what lies across the near plane without a gap', () => {
    // Seen along the sheet, from just above it: it goes on behind the viewer.
    const raster = drawn(rumpled(40, false), lookAt([0, 0, 0.15], 0.5, 0, 4));
    expect(raster.solid.some((triangle) => triangle >= 0)).toBe(true);
    expect(raster.depth.every((depth) => depth >= 0 && depth <= 1)).toBe(true);
  });
  it('keeps the nearest of what is solid, and only the side that is drawn', () => {
    const scene = sheets([
        { z: -0.2, material: {} },
        { z: 0.1, half: 0.2, material: {} },
        { z: 0.3, half: 0.1, away: true, material: {} },
      ]),
      raster = drawn(scene, lookAt([0, 0, 0], 0.8, 0, 0), 64),
      middle = 32 * 64 + 32;
    expect(scene.partOf[raster.solid[middle]]).toBe(1);
    expect(scene.partOf[raster.solid[32 * 64 + 4]]).toBe(0);
    const both = { ...scene, materials: scene.materials.map((one) => ({ ...one, doubleSided: true })) };
    expect(scene.partOf[drawn(both, lookAt([0, 0, 0], 0.8, 0, 0), 64).solid[middle]]).toBe(2);
  });
  it('lists what is seen through in drawing order: parts by their middles, a two-sided one with its back first', () => {
    const scene = sheets([
        { z: 0.2, material: { mode: 'BLEND' } },
        { z: 0.1, material: { mode: 'BLEND', doubleSided: true } },
        { z: -0.1, material: { mode: 'MASK' } },
      ]),
      raster = drawn(scene, lookAt([0, 0, 0], 0.5, 0, 0), 32);
    const order: number[] = [];
    for (let layer = raster.last[500]; layer >= 0; layer = raster.layerBefore[layer])
      order.unshift(scene.partOf[raster.layerTriangle[layer]]);
    expect(order).toEqual([2, 1, 0]);
  });
  it('gives the world point of a pixel back from its depth', () => {
    const camera = lookAt([0.2, 1.1, -0.3], 0.9, 35, 20),
      scene = sheets([{ z: -0.3, half: 3, material: {} }]),
      raster = drawn(scene, camera, 128);
    for (const at of [64 * 128 + 64, 20 * 128 + 90, 110 * 128 + 12])
      expect(pointAt(camera, 128, at, raster.depth[at])[2]).toBeCloseTo(-0.3, 2);
    const [x, y] = pointAt(camera, 128, 64 * 128 + 64, raster.depth[64 * 128 + 64]);
    expect(Math.abs(x - 0.2) + Math.abs(y - 1.1)).toBeLessThan(0.02);
  });
});
