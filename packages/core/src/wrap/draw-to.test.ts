import { describe, expect, it } from 'vitest';
import { drawTo } from './draw-to.ts';
import { leftAlone } from './left-alone.ts';
import { type Mesh, meshOf } from './mesh.ts';
import { overEdges, pathThrough } from './over-edges.ts';

/** A square of unit side in n × n squares; with a slit, its two halves lie side by side and hang together at one end alone. */
function sheet(n: number, slit = false): Mesh {
  const positions: number[] = [],
    indices: number[] = [],
    half = n / 2,
    columns = n + 1 + (slit ? 1 : 0);
  for (let j = 0; j <= n; j++)
    for (let i = 0; i < columns; i++) {
      const right = slit && i > half,
        x = (right ? i - 1 : i) / n;
      // Torn a little apart, but for the last row.
      positions.push(x + (slit && i === half && j < n ? -1e-4 : 0), j / n, 0);
    }
  for (let j = 0; j < n; j++)
    for (let i = 0; i + 1 < columns; i++) {
      if (slit && i === half) continue;
      const a = j * columns + i,
        b = a + columns;
      indices.push(a, a + 1, b + 1, a, b + 1, b);
    }
  return meshOf(Float32Array.from(positions), Uint32Array.from(indices));
}
const at = ({ points, places }: Mesh, x: number, y: number): number => {
  let best = 0,
    far = Infinity;
  for (let p = 0; p < points; p++) {
    const d = Math.hypot(places[p * 3] - x, places[p * 3 + 1] - y);
    if (d < far) [best, far] = [p, d];
  }
  return best;
};

describe('ways over edges', () => {
  it('are as long as edges, and go round what is torn', () => {
    const whole = sheet(10),
      torn = sheet(10, true),
      there = (mesh: Mesh) => overEdges(mesh, [at(mesh, 0.4, 0)], Infinity).far[at(mesh, 0.6, 0)];
    expect(there(whole)).toBeCloseTo(0.2, 6);
    expect(there(torn)).toBeGreaterThan(1.9);
    const near = overEdges(whole, [0], 0.25).far;
    expect([...near].filter(Number.isFinite).length).toBeLessThan(12);
    const path = pathThrough(whole, [at(whole, 0, 0), at(whole, 1, 0), at(whole, 1, 1)]) as number[];
    expect(path).toHaveLength(21);
    expect(new Set(path).size).toBe(21);
    const apart = meshOf(
      Float32Array.from([0, 0, 0, 1, 0, 0, 0, 1, 0, 5, 0, 0, 6, 0, 0, 5, 1, 0]),
      Uint32Array.from([0, 1, 2, 3, 4, 5]),
    );
    expect(pathThrough(apart, [apart.pointOf[0], apart.pointOf[4]])).toBeNull();
  });
});

describe('points drawn to where they shall lie', () => {
  it('lie exactly there, several at once, and nothing moves beyond their reach or across a tear', () => {
    const mesh = sheet(20, true),
      one = at(mesh, 0.3, 0.3),
      two = at(mesh, 0.35, 0.4),
      out = drawTo(mesh, mesh.places, [
        { point: one, to: [0.33, 0.3, 0.05], reach: 0.3 },
        { point: two, to: [0.35, 0.38, 0], reach: 0.3 },
      ]);
    expect([...out.subarray(one * 3, one * 3 + 3)].map((x) => Math.round(x * 1e5) / 1e5)).toEqual([0.33, 0.3, 0.05]);
    expect([...out.subarray(two * 3, two * 3 + 3)].map((x) => Math.round(x * 1e5) / 1e5)).toEqual([0.35, 0.38, 0]);
    const still = (x: number, y: number) => {
      const p = at(mesh, x, y) * 3;
      return [0, 1, 2].every((k) => out[p + k] === mesh.places[p + k]);
    };
    expect(still(0.95, 0.95)).toBe(true);
    // Nearer than the reach, but on the other side.
    expect(still(0.55, 0.3)).toBe(true);
    expect(still(0.35, 0.3)).toBe(false);
    const steepest = Math.max(
      ...[...mesh.places].map((_, i) => (i % 3 ? 0 : Math.abs(out[i + 2] - (i >= 3 ? out[i - 1] : 0)))),
    );
    expect(steepest).toBeLessThan(0.05);
  });
});

describe('a curve of many points', () => {
  it('comes along as one: nothing beside it is folded', () => {
    const mesh = sheet(40),
      line = Array.from({ length: 17 }, (_, i) => at(mesh, 0.3 + i / 40, 0.5)),
      out = drawTo(
        mesh,
        mesh.places,
        line.map((point) => ({
          point,
          to: [mesh.places[point * 3], mesh.places[point * 3 + 1] + 0.06 + 0.02 * mesh.places[point * 3], 0.02],
          reach: 0.3,
        })),
      );
    for (let t = 0; t < mesh.corners.length; t += 3) {
      const [a, b, c] = [0, 1, 2].map((k) => mesh.corners[t + k] * 3),
        area = (out[b] - out[a]) * (out[c + 1] - out[a + 1]) - (out[b + 1] - out[a + 1]) * (out[c] - out[a]);
      expect(area).toBeGreaterThan(0.15 / 1600);
    }
  });
});

describe('a region left alone', () => {
  it('takes its own shape back, and what is around stays', () => {
    const mesh = sheet(20),
      bump = Float32Array.from(mesh.places, (x, i) => {
        if (i % 3 !== 2) return x;
        const far = Math.hypot(mesh.places[i - 2] - 0.5, mesh.places[i - 1] - 0.5);
        return far < 0.2 ? 0.1 * (1 - far / 0.2) : 0;
      }),
      // Laid flat, a quarter larger, and moved.
      laid = Float32Array.from(mesh.places, (x, i) => 1.25 * x + (i % 3 ? 0 : 0.4)),
      inside = Uint8Array.from({ length: mesh.points }, (_, p) =>
        Number(Math.hypot(mesh.places[p * 3] - 0.5, mesh.places[p * 3 + 1] - 0.5) < 0.25),
      ),
      out = leftAlone(mesh, bump, laid, inside);
    for (let p = 0; p < mesh.points; p++) if (!inside[p]) expect(out[p * 3 + 2]).toBe(0);
    const top = at(mesh, 0.5, 0.5) * 3 + 2;
    expect(out[top]).toBeGreaterThan(0.085);
    expect(out[top]).toBeLessThan(0.14);
  });
  it('costs nothing where it differs by an affine map alone', () => {
    const mesh = sheet(12),
      own = Float32Array.from(mesh.places, (x, i) =>
        i % 3 === 2 ? 0 : 0.7 * x + (i % 3 ? 0 : 0.2 * mesh.places[i + 1]),
      ),
      inside = Uint8Array.from({ length: mesh.points }, (_, p) =>
        Number(Math.hypot(mesh.places[p * 3] - 0.5, mesh.places[p * 3 + 1] - 0.5) < 0.3),
      ),
      lost = Float32Array.from(mesh.places, (x, i) => (inside[Math.floor(i / 3)] ? 9 : x)),
      out = leftAlone(mesh, own, lost, inside);
    for (let i = 0; i < out.length; i++) expect(out[i]).toBeCloseTo(mesh.places[i], 3);
  });
});
