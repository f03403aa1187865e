import { describe, expect, it } from 'vitest';
import { correspond } from './correspond.ts';
import { meshOf } from './mesh.ts';

/** A strip in the plane y = height over 0 … 1, facing up or down, cut n times along x; as wide as it is long. */
function strip(n: number, height: number, up: boolean) {
  const positions: number[] = [],
    indices: number[] = [];
  for (let i = 0; i <= n; i++) positions.push(i / n, height, 0, i / n, height, 1);
  for (let i = 0; i < n; i++) {
    const a = i * 2;
    if (up) indices.push(a, a + 1, a + 3, a, a + 3, a + 2);
    else indices.push(a, a + 3, a + 1, a, a + 2, a + 3);
  }
  return { positions: Float32Array.from(positions), indices: Uint32Array.from(indices) };
}

/** A pocket: two walls that nearly touch and face each other, joined at x = 1. */
function pocket(n: number, apart: number, by = 0) {
  const low = strip(n, 0, true),
    high = strip(n, apart, false),
    positions = [...low.positions, ...high.positions].map((x, k) => (k % 3 === 1 ? x + by : x)),
    first = low.positions.length / 3,
    [a, b, c, d] = [n * 2, n * 2 + 1, first + n * 2, first + n * 2 + 1];
  return meshOf(
    Float32Array.from(positions),
    Uint32Array.from([...low.indices, ...Array.from(high.indices, (v) => v + first), a, b, d, a, d, c]),
  );
}

describe('correspondence', () => {
  it('of a mesh with itself is itself', () => {
    const mesh = pocket(20, 0.004),
      { triangle, share, far } = correspond(mesh, mesh.places, new Float32Array(mesh.points).fill(1), mesh);
    for (let p = 0; p < mesh.points; p++) {
      expect(far[p]).toBeLessThan(1e-6);
      const corners = mesh.corners.subarray(triangle[p] * 3, triangle[p] * 3 + 3),
        shares = [1 - share[p * 2] - share[p * 2 + 1], share[p * 2], share[p * 2 + 1]];
      expect(shares[[...corners].indexOf(p)]).toBeCloseTo(1, 4);
    }
  });
  it('keeps what lies inside on its own wall, though it came to lie nearer to the other', () => {
    const old = pocket(20, 0.004),
      // All of it is 3 mm too high: the lower wall lies by the upper one.
      moved = pocket(20, 0.004, 0.003),
      trust = new Float32Array(moved.points);
    // Sure at the mouth of the pocket alone, where it lies outside.
    for (let p = 0; p < moved.points; p++) trust[p] = moved.places[p * 3] < 0.06 ? 1 : 0;
    const { triangle } = correspond(moved, moved.places, trust, old);
    for (let p = 0; p < moved.points; p++) {
      const [x, y] = moved.places.subarray(p * 3, p * 3 + 3);
      if (x > 0.94) continue;
      const on = old.places[old.corners[triangle[p] * 3] * 3 + 1];
      expect(on).toBeCloseTo(y < 0.005 ? 0 : 0.004, 6);
    }
  });
  it('is none where nothing is near', () => {
    const mesh = pocket(4, 0.004),
      far = meshOf(Float32Array.of(9, 9, 9, 9.1, 9, 9, 9, 9.1, 9), Uint32Array.of(0, 1, 2));
    expect([...correspond(mesh, mesh.places, new Float32Array(mesh.points).fill(1), far).triangle]).toEqual(
      Array.from({ length: mesh.points }, () => -1),
    );
  });
});
