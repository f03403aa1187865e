import { describe, expect, it } from 'vitest';
import { FacingTree } from './facing-tree.ts';
import { closestOn } from './on-triangle.ts';
import { seededRandom } from './random.ts';

/** Triangles strewn over a cube, and directions to ask with. */
function strewn(count: number) {
  const random = seededRandom(5),
    positions = new Float32Array(count * 9);
  for (let t = 0; t < count; t++) {
    const middle = [random(), random(), random()];
    for (let k = 0; k < 9; k++) positions[t * 9 + k] = middle[k % 3] + (random() - 0.5) * 0.2;
  }
  return { random, positions, indices: Uint32Array.from({ length: count * 3 }, (_, i) => i) };
}

function normalOf(p: Float32Array, t: number): number[] {
  const [u, v] = [3, 6].map((o) => [0, 1, 2].map((k) => p[t * 9 + o + k] - p[t * 9 + k])),
    n = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]],
    l = Math.hypot(...n);
  return n.map((x) => x / l);
}

describe('the closest place that faces the same way', () => {
  for (const [cos, reach] of [
    [0.5, 0.3],
    [0, 0.1],
    [-1, 1],
  ] as const)
    it(`is that of all triangles tried one by one, within ${reach} and a cosine of ${cos}`, () => {
      const { random, positions, indices } = strewn(600),
        tree = new FacingTree(positions, indices);
      let found = 0;
      for (let i = 0; i < 500; i++) {
        const at = [random(), random(), random()],
          d = [random() - 0.5, random() - 0.5, random() - 0.5],
          l = Math.hypot(...d),
          [nx, ny, nz] = d.map((x) => x / l),
          hit = { distanceSquared: reach * reach, v: 0, w: 0 };
        let best = -1;
        for (let t = 0; t < indices.length / 3; t++) {
          const n = normalOf(positions, t);
          if (n[0] * nx + n[1] * ny + n[2] * nz < cos) continue;
          if (closestOn(positions, indices, t * 3, at[0], at[1], at[2], hit)) best = t;
        }
        expect(tree.closestFacing(at[0], at[1], at[2], nx, ny, nz, cos, reach)).toBe(best >= 0);
        if (best < 0) continue;
        found++;
        expect(tree.hit.distanceSquared).toBeCloseTo(hit.distanceSquared, 12);
      }
      expect(found).toBeGreaterThan(30);
    });

  it('is none in an empty tree', () => {
    expect(new FacingTree(new Float32Array(0), new Uint32Array(0)).closestFacing(0, 0, 0, 0, 0, 1, -1, 9)).toBe(false);
  });
});
