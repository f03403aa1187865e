import { describe, expect, it } from 'vitest';
import { AROUND, DepthBuffer, seededRandom } from './index.ts';

/** Two squares of 2 × 2 metres that face +Z, one behind the other, and a small one beside them. */
const squares = (places: readonly (readonly [x: number, y: number, z: number, half: number])[]) => {
  const positions: number[] = [],
    indices: number[] = [];
  for (const [x, y, z, half] of places) {
    const i = positions.length / 3;
    positions.push(x - half, y - half, z, x + half, y - half, z, x + half, y + half, z, x - half, y + half, z);
    indices.push(i, i + 1, i + 2, i, i + 2, i + 3);
  }
  return { positions: Float32Array.from(positions), indices: Uint32Array.from(indices) };
};
const drawn = (buffer: DepthBuffer, owners: readonly number[]) =>
  owners.map((owner, square) => buffer.draw(square * 2, 2, owner));
const bufferOf = (size: number, { positions, indices }: ReturnType<typeof squares>) =>
  new DepthBuffer(size, indices, positions.length / 3, { owned: true });

describe('DepthBuffer', () => {
  it('gives each end of a view what it sees: faces of the one, backs of the other', () => {
    const mesh = squares([
        [0, 0, 1, 1],
        [0, 0, 0, 1],
      ]),
      buffer = bufferOf(64, mesh),
      seen = new Float64Array(2);
    buffer.lookAlong([0, 0, 1], mesh.positions);
    const [front, back] = drawn(buffer, [0, 1]);
    expect(front).toBeCloseTo(back, 3);
    expect(front).toBeCloseTo(62 * 62, 0);
    buffer.countInto(seen);
    // Looking along +Z the square at 0 comes first, its back to the viewer; from the other end the one at 1 shows its face. Nobody owns a back.
    expect([...seen].filter((pixels) => pixels > 3500).length).toBe(1);
    expect(Math.min(...seen)).toBe(0);
  });
  it('tells which vertices something lies in front of, from both ends, with some slack', () => {
    const mesh = squares([
        [0, 0, 0, 1],
        [0, 0, 0.5, 0.3],
        [0, 0, 1, 1],
      ]),
      buffer = bufferOf(128, mesh);
    buffer.lookAlong([0, 0, 1], mesh.positions);
    drawn(buffer, [0, 1, 2]);
    expect([0, 4, 8].map((vertex) => buffer.sees(vertex, 1))).toEqual([true, false, true]);
    expect(buffer.sees(4, 1000)).toBe(true);
  });
  it('counts what is only looked through without hiding anything behind it', () => {
    const mesh = squares([
        [0, 0, 0, 1],
        [0, 0, 0.5, 0.5],
      ]),
      buffer = bufferOf(64, mesh),
      seen = new Float64Array(1);
    buffer.lookAlong([0, 0, 1], mesh.positions);
    drawn(buffer, [0]);
    const pane = buffer.test(2, 2);
    expect(pane.area).toBeGreaterThan(800);
    expect(pane.pixels).toBeGreaterThan(800);
    buffer.countInto(seen);
    expect(seen[0]).toBeGreaterThan(3500);
  });
  it('looks all around in seven drawings, none of them twice', () => {
    expect(AROUND.length).toBe(7);
    expect(new Set(AROUND.flatMap((d) => [d, d.map((c) => -c)]).map((d) => d.map((c) => c + 0).join(' '))).size).toBe(
      14,
    );
    const mesh = squares([[0, 0, 0, 1]]),
      buffer = bufferOf(64, mesh);
    let area = 0;
    for (const view of AROUND) {
      buffer.lookAlong(view, mesh.positions);
      area += drawn(buffer, [0])[0];
    }
    expect(area).toBeGreaterThan(3500);
  });
  it('draws only before the pixels that are asked for, and sees the same there', () => {
    const random = seededRandom(8),
      positions = Float32Array.from({ length: 600 * 9 }, (_, i) => random() + 0.3 * Math.floor(i / 9) * 0.01),
      indices = Uint32Array.from({ length: 600 * 3 }, (_, i) => i),
      all = new DepthBuffer(96, indices, 1800),
      some = new DepthBuffer(96, indices, 1800),
      asked = Uint32Array.from({ length: 90 }, (_, i) => i * 17);
    for (const view of AROUND) {
      for (const buffer of [all, some]) buffer.lookAlong(view, positions);
      some.wantOnly(asked.map((vertex) => some.pixelOf(vertex)));
      for (const buffer of [all, some]) buffer.draw(0, 600);
      for (const vertex of asked) expect(some.sees(vertex, 0.5)).toBe(all.sees(vertex, 0.5));
    }
    expect([...asked].filter((vertex) => all.sees(vertex, 0.5)).length).toBeLessThan(60);
  });
  it('finds the depths that arithmetic in doubles finds, pixel by pixel, at any place and of any face', () => {
    const random = seededRandom(3),
      positions = Float32Array.from({ length: 300 * 9 }, () => random() ** 3),
      indices = Uint32Array.from({ length: 900 }, (_, i) => i),
      buffer = new DepthBuffer(80, indices, 900);
    buffer.lookAlong([0, 0, 1], positions);
    buffer.draw(0, 300);
    const [near, far] = buffer.depths();
    // Looking along +Z the picture's axes are −X… and Y, whichever way round: both are found from the box of the points.
    const of = (k: number) => positions.filter((_, i) => i % 3 === k),
      [left, right, low, high] = [Math.min(...of(0)), Math.max(...of(0)), Math.min(...of(1)), Math.max(...of(1))],
      by = 78 / Math.max(right - left, high - low);
    const corners = Array.from({ length: 900 }, (_, v) => [
      (right - positions[v * 3]) * by + 1,
      (positions[v * 3 + 1] - low) * by + 1,
      positions[v * 3 + 2] * by,
    ]);
    let pixels = 0,
      off = 0;
    for (let y = 0; y < buffer.high; y++)
      for (let x = 0; x < buffer.wide; x++) {
        let nearest = Infinity,
          furthest = -Infinity,
          edge = false;
        for (let t = 0; t < 300; t++) {
          const [a, b, c] = corners.slice(t * 3, t * 3 + 3),
            twice = (b[0] - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (b[1] - a[1]);
          const wb = ((x + 0.5 - a[0]) * (c[1] - a[1]) - (y + 0.5 - a[1]) * (c[0] - a[0])) / twice,
            wc = ((b[0] - a[0]) * (y + 0.5 - a[1]) - (b[1] - a[1]) * (x + 0.5 - a[0])) / twice,
            inside = Math.min(wb, wc, 1 - wb - wc);
          if (Math.abs(inside) < 0.002) edge = true;
          if (inside < 0) continue;
          const z = a[2] + (b[2] - a[2]) * wb + (c[2] - a[2]) * wc;
          nearest = Math.min(nearest, z);
          furthest = Math.max(furthest, z);
        }
        if (edge) continue;
        pixels++;
        const at = y * buffer.stride + x,
          same = (one: number, two: number) => one === two || Math.abs(one - two) < 1e-3;
        if (!same(near[at], nearest) || !same(-far[at], furthest)) off++;
      }
    expect(pixels).toBeGreaterThan(3000);
    expect(off).toBe(0);
  });
  it('lives with nothing to draw, with faces of no area, and with places that are no numbers', () => {
    const nothing = new DepthBuffer(16, new Uint32Array(0), 0);
    nothing.lookAlong([1, 1, 1], new Float32Array(0));
    expect(nothing.draw(0, 0)).toBe(0);
    const flat = new DepthBuffer(16, Uint32Array.of(0, 1, 2), 3);
    flat.lookAlong([0, 0, 1], new Float32Array(9));
    expect(flat.draw(0, 1)).toBe(0);
    flat.lookAlong([0, 0, 1], Float32Array.of(NaN, 0, 0, Infinity, 1, 0, 0, 1, -Infinity));
    expect(flat.draw(0, 1)).toBe(0);
    flat.lookAlong([0, 0, 1], Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0));
    expect(flat.draw(0, 1)).toBeCloseTo(98, 0);
  });
});
