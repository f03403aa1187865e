import { mat4 } from 'gl-matrix';
import { describe, expect, it } from 'vitest';
import {
  compose,
  decompose,
  invertAffine,
  multiply,
  quatFromAxis,
  seededRandom,
  samplePositions,
  nthSmallest,
  sampleSurface,
  TriangleTree,
  vertexNormals,
} from './index.ts';

const random = seededRandom(3);
const anyMatrix = () => {
  const m = new Float64Array(16);
  compose(m, 0, [random(), random(), random()], quatFromAxis([random(), random() - 0.5, random()], random() * 6), [
    0.5 + random(),
    0.5 + random(),
    0.5 + random(),
  ]);
  return m;
};

describe('matrices', () => {
  it('agree with gl-matrix on products and inverses', () => {
    for (let i = 0; i < 50; i++) {
      const a = anyMatrix(),
        b = anyMatrix(),
        out = new Float64Array(16),
        inverse = new Float64Array(16);
      multiply(out, 0, a, 0, b, 0);
      const expected = mat4.multiply(mat4.create(), a as unknown as mat4, b as unknown as mat4);
      out.forEach((value, k) => expect(value).toBeCloseTo(expected[k], 5));
      expect(invertAffine(inverse, 0, a, 0)).toBe(true);
      multiply(out, 0, a, 0, inverse, 0);
      out.forEach((value, k) => expect(value).toBeCloseTo(k % 5 === 0 ? 1 : 0, 10));
    }
  });
  it('say so when there is no inverse', () => {
    expect(invertAffine(new Float64Array(16), 0, new Float64Array(16), 0)).toBe(false);
  });
  it('come apart into what they were composed of', () => {
    const q = quatFromAxis([1, 2, 3], 2.5),
      m = new Float64Array(16);
    compose(m, 0, [1, 2, 3], q, [2, 2, 2]);
    const { translation, rotation, scale } = decompose(m);
    expect(translation).toEqual([1, 2, 3]);
    scale.forEach((s) => expect(s).toBeCloseTo(2, 12));
    const same = Math.abs(rotation[0] * q[0] + rotation[1] * q[1] + rotation[2] * q[2] + rotation[3] * q[3]);
    expect(same).toBeCloseTo(1, 12);
  });
});

function soup(triangles: number): { positions: Float32Array; indices: Uint32Array } {
  const positions = Float32Array.from({ length: triangles * 9 }, () => random() * 2 - 1);
  return { positions, indices: Uint32Array.from({ length: triangles * 3 }, (_, i) => i) };
}

describe('TriangleTree', () => {
  it('finds what trying every triangle finds, with and without a hint, and after a refit', () => {
    const { positions, indices } = soup(400);
    const tree = new TriangleTree(positions, indices);
    const moved = positions.map((x) => x * 1.3 + 0.1);
    for (const shape of [positions, moved]) {
      tree.refit(shape);
      for (let i = 0; i < 100; i++) {
        const p = [random() * 3 - 1.5, random() * 3 - 1.5, random() * 3 - 1.5] as const;
        let best = Infinity;
        for (let t = 0; t < 400; t++) {
          const one = new TriangleTree(shape.slice(t * 9, t * 9 + 9), Uint32Array.of(0, 1, 2));
          best = Math.min(best, one.closest(...p));
        }
        expect(tree.closest(...p)).toBeCloseTo(best, 6);
        // Wherever the climb begins, it ends at the same distance.
        const hint = Math.floor(random() * 400);
        expect(tree.closest(...p, hint)).toBe(tree.closest(...p));
        expect(tree.closest(...p, hint)).toBeCloseTo(best, 6);
      }
    }
  });
  it('knows the analytic cases of one triangle', () => {
    const tree = new TriangleTree(Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0), Uint32Array.of(0, 1, 2));
    expect(tree.closest(0.25, 0.25, 2)).toBe(2);
    expect(tree.closest(-3, -4, 0)).toBe(5);
    expect(tree.closest(0.5, -1, 0)).toBe(1);
    expect(tree.closest(1, 1, 0)).toBeCloseTo(Math.SQRT1_2, 12);
  });
  it("looks no further where it is near enough, and does where it isn't", () => {
    // A second triangle lies nearer than the one hinted at.
    const tree = new TriangleTree(
      Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 0.25, 1, 0, 0.25, 0, 1, 0.25),
      Uint32Array.of(0, 1, 2, 3, 4, 5),
    );
    expect(tree.closest(0.2, 0.2, 0.2, 0, 0.3)).toBeCloseTo(0.2, 7);
    expect(tree.hit.triangle).toBe(0);
    expect(tree.closest(0.2, 0.2, 0.2, 0, 0.1)).toBeCloseTo(0.05, 7);
    expect(tree.hit.triangle).toBe(1);
  });
  it('is infinitely far from an empty mesh', () => {
    expect(new TriangleTree(new Float32Array(0), new Uint32Array(0)).closest(0, 0, 0)).toBe(Infinity);
  });
});

describe('sampleSurface', () => {
  it('spreads samples by area, on the surface, the same for the same seed', () => {
    // one triangle three times as large as the other
    const positions = Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0, 5, 0, 0, 8, 0, 0, 5, 1, 0),
      indices = Uint32Array.of(0, 1, 2, 3, 4, 5);
    const a = sampleSurface(positions, indices, 4000, 9),
      b = sampleSurface(positions, indices, 4000, 9);
    expect(a).toEqual(b);
    expect(a.triangle.filter((t) => t === 1).length / 4000).toBeCloseTo(0.75, 2);
    const points = samplePositions(new Float64Array(12_000), positions, indices, a);
    for (let i = 0; i < points.length; i += 3) {
      expect(points[i + 2]).toBe(0);
      expect(points[i + 1]).toBeGreaterThanOrEqual(0);
      expect(points[i + 1]).toBeLessThanOrEqual(1);
    }
  });
  it('gives nothing for a mesh without area', () => {
    expect(sampleSurface(new Float32Array(9), Uint32Array.of(0, 1, 2), 10, 1).triangle.length).toBe(0);
  });
});

it('vertexNormals point out of a quad', () => {
  expect([...vertexNormals([0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0], [0, 1, 2, 0, 2, 3])]).toEqual([
    0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1,
  ]);
});

it('finds the value that sorting would put in a place, among equal ones too', () => {
  const random = seededRandom(4);
  for (let round = 0; round < 40; round++) {
    const values = Float64Array.from({ length: 1 + Math.floor(random() * 60) }, () => Math.floor(random() * 12)),
      sorted = Float64Array.from(values).sort(),
      nth = Math.floor(random() * values.length);
    expect(nthSmallest(values, nth)).toBe(sorted[nth]);
    expect(values.sort()).toEqual(sorted);
  }
});
