import { expect, it } from 'vitest';
import { RayTree, vertexNormals } from '../../geometry/index.ts';
import { findCage } from './cage.ts';
import type { FineSurface, Surface } from './fine-surface.ts';

/** A square metre of so many cells a side at a height, seen from above or from below. */
function plate(y: number, cells: number, up = true) {
  const positions: number[] = [],
    indices: number[] = [];
  for (let j = 0; j <= cells; j++)
    for (let i = 0; i <= cells; i++) {
      positions.push(i / cells, y, j / cells);
      if (i === cells || j === cells) continue;
      const o = j * (cells + 1) + i,
        quad = [o, o + cells + 1, o + 1, o + 1, o + cells + 1, o + cells + 2];
      indices.push(...(up ? quad : quad.toReversed()));
    }
  return { positions, indices };
}
function surface(...plates: ReturnType<typeof plate>[]): Surface {
  const positions = Float32Array.from(plates.flatMap((one) => one.positions));
  let first = 0;
  const indices = Uint32Array.from(
    plates.flatMap((one) => {
      const raised = one.indices.map((v) => v + first);
      first += one.positions.length / 3;
      return raised;
    }),
  );
  return { positions, indices, normals: vertexNormals(positions, indices), tree: new RayTree(positions, indices) };
}
const finer = (...plates: ReturnType<typeof plate>[]): FineSurface => ({
  ...surface(...plates),
  taken: null,
  apart: 0,
});
/** Vertices of a plate of four cells a side. */
const OF_ONE = 25;

it('reaches as far as the finer surface lies off', () => {
  const { reach, most } = findCage(surface(plate(0, 4)), finer(plate(0.012, 20)), 0.03);
  expect(Math.min(...reach)).toBeGreaterThan(0.012);
  expect(most).toBeLessThan(0.016);
});
it('reaches nothing that lies too far off, or looks the other way', () => {
  expect(findCage(surface(plate(0, 4)), finer(plate(0.05, 20)), 0.03).most).toBe(0);
  expect(findCage(surface(plate(0, 4)), finer(plate(0.012, 20, false)), 0.03).most).toBe(0);
});
it('leaves to another part what lies on that: a foot lends its boot nothing', () => {
  const { reach } = findCage(surface(plate(0, 4), plate(0.01, 4)), finer(plate(0.0005, 20)), 0.03);
  expect(Math.min(...reach.slice(0, OF_ONE))).toBeGreaterThan(0.0005);
  expect(Math.max(...reach.slice(OF_ONE))).toBe(0);
});
it('stops half way to a wall that stands opposite', () => {
  // Both lips have a finer surface six millimetres off, and lie eight apart.
  const { most } = findCage(
    surface(plate(0, 4), plate(0.008, 4, false)),
    finer(plate(-0.006, 20), plate(0.014, 20, false)),
    0.03,
  );
  expect(most).toBeGreaterThan(0.0035);
  expect(most).toBeLessThan(0.0045);
});
