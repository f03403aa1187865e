import { describe, expect, it } from 'vitest';
import { meshOf } from './mesh.ts';
import { surfaceFit } from './surface-fit.ts';
import { turnedFaces } from './turned-faces.ts';

/** A square of 0.1 in n × n cells, at some height. */
function sheet(n: number, height: (x: number, y: number) => number) {
  const positions: number[] = [],
    indices: number[] = [];
  for (let j = 0; j <= n; j++)
    for (let i = 0; i <= n; i++) positions.push((0.1 * i) / n, (0.1 * j) / n, height(i / n, j / n));
  for (let j = 0; j < n; j++)
    for (let i = 0; i < n; i++) {
      const a = j * (n + 1) + i;
      indices.push(a, a + 1, a + n + 2, a, a + n + 2, a + n + 1);
    }
  return meshOf(Float32Array.from(positions), Uint32Array.from(indices));
}
const seen = (points: number, value = 1) => new Float32Array(points).fill(value);

describe('how closely one surface lies on another', () => {
  const flat = sheet(20, () => 0);
  it('is what they lie apart, both ways', () => {
    const above = sheet(14, () => 0.002),
      fit = surfaceFit(
        above,
        {
          places: above.places,
          aligned: above.places,
          trust: seen(above.points),
          open: seen(flat.points),
          curves: { both: [], alone: [] },
        },
        flat,
      );
    for (const way of [fit.there, fit.back]) {
      expect(way.rms).toBeCloseTo(0.002, 6);
      expect(way.most99).toBeCloseTo(0.002, 6);
      expect(way.without).toBe(0);
    }
    expect(fit.turned).toBe(0);
  });
  it('leaves out what lies inside, and counts apart what has no counterpart', () => {
    // A quarter stands up by 5 cm.
    const step = sheet(20, (x) => (x > 0.76 ? 0.05 : 0.001)),
      fit = surfaceFit(
        step,
        {
          places: step.places,
          aligned: step.places,
          trust: seen(step.points),
          open: seen(flat.points, 0),
          curves: { both: [], alone: [] },
        },
        flat,
      );
    expect(fit.there.without).toBe(5 * 21);
    expect(fit.there.rms).toBeCloseTo(0.001, 6);
    expect(fit.back).toEqual({ rms: 0, most99: 0, without: 0 });
  });
  it('sees faces that were turned over, and no other', () => {
    const places = Float32Array.from(flat.places);
    // One inner corner is pulled over its neighbour.
    places[(5 * 21 + 5) * 3] += 0.012;
    const turned = turnedFaces(flat.corners, places, flat.places);
    expect(turned.length).toBeGreaterThan(0);
    for (const t of turned) expect([...flat.corners.subarray(t, t + 3)]).toContain(5 * 21 + 5);
    expect(turnedFaces(flat.corners, flat.places, flat.places)).toEqual([]);
  });
});
