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

/** Three layers above each other, joined like an S: the first and the last face up. */
function folded(n: number, apart: number, by = 0) {
  const layers = [0, 1, 2].map((k) => strip(n, k * apart + by, k !== 1)),
    count = layers[0].positions.length / 3,
    indices = layers.flatMap((layer, k) => Array.from(layer.indices, (v) => v + k * count)),
    // The first two meet at x = 1, the last two at x = 0.
    [a, b, c, d] = [n * 2, n * 2 + 1, count + n * 2, count + n * 2 + 1],
    [e, f, g, h] = [count, count + 1, 2 * count, 2 * count + 1];
  return meshOf(
    Float32Array.from(layers.flatMap(({ positions }) => [...positions])),
    Uint32Array.from([...indices, a, b, d, a, d, c, e, f, h, e, h, g]),
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
  it('keeps what lies inside on its own wall, though it came to lie nearer to another that faces the same way', () => {
    const old = folded(20, 0.0012),
      // All of it is 1.65 mm too high: the lowest of its three layers lies by the highest.
      moved = folded(20, 0.0012, 0.00165),
      trust = new Float32Array(moved.points);
    // Sure at the edge of the lowest layer alone, where it lies outside.
    for (let p = 0; p < moved.points; p++)
      trust[p] = moved.places[p * 3] < 0.06 && moved.places[p * 3 + 1] < 0.002 ? 1 : 0;
    const places = Float32Array.from(moved.places),
      lowest = (p: number) => moved.places[p * 3 + 1] < 0.002;
    for (let p = 0; p < moved.points; p++) if (trust[p]) places[p * 3 + 1] -= 0.00165;
    const { triangle } = correspond(moved, places, trust, old);
    let counted = 0;
    for (let p = 0; p < moved.points; p++) {
      const x = moved.places[p * 3];
      if (!lowest(p) || x > 0.9) continue;
      counted++;
      expect(old.places[old.corners[triangle[p] * 3] * 3 + 1]).toBeCloseTo(0, 6);
    }
    expect(counted).toBeGreaterThan(30);
  });
  it('lets a piece without a counterpart go along with what it hangs on, unless another place is near', () => {
    const old = strip(10, 0, true),
      // Its last third bends up by a metre: nothing lies there.
      bent = strip(10, 0, true);
    for (let k = 0; k < bent.positions.length; k += 3)
      if (bent.positions[k] > 0.65) bent.positions[k + 1] = bent.positions[k] - 0.6;
    const mesh = meshOf(bent.positions, bent.indices),
      ground = meshOf(old.positions, old.indices),
      trust = Float32Array.from({ length: mesh.points }, (_, p) => (mesh.places[p * 3] < 0.65 ? 1 : 0)),
      { triangle } = correspond(mesh, mesh.places, trust, ground);
    for (let p = 0; p < mesh.points; p++) {
      if (mesh.places[p * 3] < 0.95) continue;
      // On the last that lies on the ground, not below it.
      const x = [0, 1, 2].map((k) => ground.places[ground.corners[triangle[p] * 3 + k] * 3]);
      expect(Math.max(...x)).toBeLessThan(0.75);
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
