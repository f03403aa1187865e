import { describe, expect, it } from 'vitest';
import { seededRandom, TriangleTree } from '../geometry/index.ts';
import { meshOf } from './mesh.ts';
import { walkOver } from './walk.ts';

const SIDE = 40,
  CELL = 0.005;
type Height = (x: number, z: number) => number;

/** A sheet of SIDE × SIDE squares in x and z, as high as said. */
function sheet(height: Height) {
  const positions: number[] = [],
    indices: number[] = [];
  for (let i = 0; i <= SIDE; i++)
    for (let j = 0; j <= SIDE; j++) positions.push(i * CELL, height(i * CELL, j * CELL), j * CELL);
  for (let i = 0; i < SIDE; i++)
    for (let j = 0; j < SIDE; j++) {
      const a = i * (SIDE + 1) + j,
        b = a + SIDE + 1;
      indices.push(a, a + 1, b + 1, a, b + 1, b);
    }
  const mesh = meshOf(Float32Array.from(positions), Uint32Array.from(indices));
  return { mesh, tree: new TriangleTree(mesh.places, mesh.corners), walk: walkOver(mesh) };
}
const rolling: Height = (x, z) => 0.008 * Math.sin(40 * x) * Math.cos(30 * z);
/** A valley whose walls rise by 70° on either side. */
const valley: Height = (x) => 2.7 * Math.abs(x - (SIDE * CELL) / 2);
const UP = [0, 1, 0];

/** Walks to places about a sheet from squares beside them; how far each ends from where the tree says, metres. */
function walked(height: Height, off: number, away: number) {
  const { mesh, tree, walk } = sheet(height),
    random = seededRandom(11),
    short: number[] = [];
  for (let n = 0; n < 4000; n++) {
    const [x, z] = [random(), random()].map((r) => (0.1 + 0.8 * r) * SIDE * CELL),
      place = [x, height(x, z) + (random() * 2 - 1) * off, z],
      [i, j] = [x, z].map((c) => Math.min(SIDE - 1, Math.max(0, Math.floor(c / CELL + (random() * 2 - 1) * away)))),
      { triangle, v, w, distanceSquared } = walk((i * SIDE + j) * 2 + (n & 1), place, 0, UP, 0),
      best = tree.closest(place[0], place[1], place[2], -1);
    // Its shares are those of a place on it, and that is as far off as it says.
    const corners = [0, 1, 2].map((k) => mesh.corners[triangle * 3 + k]),
      at = [0, 1, 2].map(
        (k) =>
          (1 - v - w) * mesh.places[corners[0] * 3 + k] +
          v * mesh.places[corners[1] * 3 + k] +
          w * mesh.places[corners[2] * 3 + k],
      ),
      far = Math.hypot(...at.map((c, k) => c - place[k]));
    expect(Math.min(v, w, 1 - v - w)).toBeGreaterThan(-1e-9);
    expect(Math.abs(far - Math.sqrt(distanceSquared))).toBeLessThan(1e-7);
    short.push(far - best);
  }
  return short.sort((a, b) => a - b);
}

describe('a walk over a surface', () => {
  it('ends at the nearest place, near the surface and high above small triangles', () => {
    for (const off of [1e-4, 1e-3, 4e-3]) {
      const short = walked(rolling, off, 2);
      expect(short[0]).toBeGreaterThan(-1e-7);
      expect(short[short.length - 1]).toBeLessThan(1e-6);
    }
  });
  it('looks at the other wall of a sharp valley before it is content with its own', () => {
    const short = walked(valley, 0.004, 1);
    expect(short[short.length - 1]).toBeLessThan(1e-6);
  });
  it('begins anywhere: on a triangle without area, at a border', () => {
    const mesh = meshOf(
        Float32Array.of(0, 0, 0, 1, 0, 0, 2, 0, 0, 0, 1, 0, 1, 1, 0),
        // The first lies in a line.
        Uint32Array.of(0, 1, 2, 0, 1, 4, 0, 4, 3),
      ),
      walk = walkOver(mesh);
    expect(walk(0, [0.2, 0.7, 0.1], 0, [0, 0, 1], 0)).toMatchObject({ triangle: 2 });
    expect(walk(1, [0.8, 0.2, 0], 0, [0, 0, 1], 0)).toMatchObject({ triangle: 1, distanceSquared: 0 });
    expect(Math.sqrt(walk(2, [-1, 2, 0], 0, [0, 0, 1], 0).distanceSquared)).toBeCloseTo(Math.SQRT2);
  });
});
