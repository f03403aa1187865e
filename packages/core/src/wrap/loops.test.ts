import { describe, expect, it } from 'vitest';
import { alongLoop, borderLoops, isolines, measureLoop, placeAlong, placesOfLoop } from './loops.ts';
import { meshOf } from './mesh.ts';

/** A square of 2 × 2 in n × n cells, but for those that a hole takes. */
function sheet(n: number, hole: (x: number, y: number) => boolean = () => false) {
  const positions: number[] = [],
    indices: number[] = [];
  for (let j = 0; j <= n; j++) for (let i = 0; i <= n; i++) positions.push((2 * i) / n - 1, (2 * j) / n - 1, 0);
  for (let j = 0; j < n; j++)
    for (let i = 0; i < n; i++) {
      if (hole((2 * i + 1) / n - 1, (2 * j + 1) / n - 1)) continue;
      const a = j * (n + 1) + i;
      indices.push(a, a + 1, a + n + 2, a, a + n + 2, a + n + 1);
    }
  return meshOf(Float32Array.from(positions), Uint32Array.from(indices));
}
const far = ({ places, points }: { places: Float32Array; points: number }) =>
  Float64Array.from({ length: points }, (_, p) => Math.hypot(places[p * 3], places[p * 3 + 1] / 0.5));

describe('curves on a mesh', () => {
  it('follow a value: an ellipse is as long as it should be, and closed', () => {
    const mesh = sheet(60),
      loops = isolines(mesh, far(mesh), 0.6);
    expect(loops).toHaveLength(1);
    const { middle, length } = measureLoop(placesOfLoop(loops[0], mesh.places));
    // Half axes of 0.6 and 0.3: Ramanujan's second approximation.
    const h = ((0.6 - 0.3) / 0.9) ** 2,
      true_ = Math.PI * 0.9 * (1 + (3 * h) / (10 + Math.sqrt(4 - 3 * h)));
    expect(Math.abs(length / true_ - 1)).toBeLessThan(0.01);
    expect(Math.hypot(...middle)).toBeLessThan(0.02);
  });
  it('are there for each hole and the outer edge, run one way, and none where nothing crosses', () => {
    const mesh = sheet(30, (x, y) => Math.hypot(x - 0.4, y) < 0.3),
      lengths = borderLoops(mesh)
        .map((loop) => measureLoop(placesOfLoop(loop, mesh.places)).length)
        .sort((a, b) => a - b);
    expect(lengths).toHaveLength(2);
    expect(lengths[1]).toBeCloseTo(8, 5);
    expect(isolines(mesh, far(mesh), 99)).toEqual([]);
  });
  it('are gone along from one end to the other and back, and a place is found again', () => {
    const mesh = sheet(60),
      [loop] = isolines(mesh, far(mesh), 0.6),
      places = placesOfLoop(loop, mesh.places),
      along = alongLoop(places, 0);
    let back = 0;
    for (let i = 0; i < along.length; i++) {
      const next = along[(i + 1) % along.length];
      if (next < along[i]) back++;
      const found = placeAlong(places, along, along[i]) as number[];
      expect(Math.hypot(...found.map((x, k) => x - places[i * 3 + k]))).toBeLessThan(1e-9);
    }
    expect(back).toBe(1);
    // The ends are where x is least and most.
    const start = placeAlong(places, along, 0) as number[],
      end = placeAlong(places, along, 1) as number[];
    expect(start[0]).toBeLessThan(-0.58);
    expect(end[0]).toBeGreaterThan(0.58);
  });
});
