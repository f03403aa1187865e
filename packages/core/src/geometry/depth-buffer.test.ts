import { describe, expect, it } from 'vitest';
import { AROUND, DepthBuffer } from './index.ts';

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
const drawn = (buffer: DepthBuffer, indices: Uint32Array, owners: readonly number[]) =>
  owners.map((owner, square) => {
    let passed = 0;
    const area = buffer.draw(indices, square * 2, 2, owner, (pixels) => {
      passed = pixels;
    });
    return { area, passed };
  });

describe('DepthBuffer', () => {
  it('gives each end of a view what it sees: faces of the one, backs of the other', () => {
    const { positions, indices } = squares([
        [0, 0, 1, 1],
        [0, 0, 0, 1],
      ]),
      buffer = new DepthBuffer(64),
      seen = new Float64Array(2);
    buffer.lookAlong([0, 0, 1], positions);
    const [front, back] = drawn(buffer, indices, [0, 1]);
    expect(front.area).toBeCloseTo(back.area, 3);
    expect(front.area).toBeCloseTo(62 * 62, 0);
    buffer.countInto(seen);
    // Looking along +Z the square at 0 comes first, its back to the viewer; from the other end the one at 1 shows its face. Nobody owns a back.
    expect([...seen].filter((pixels) => pixels > 3500).length).toBe(1);
    expect(Math.min(...seen)).toBe(0);
  });
  it('tells which vertices something lies in front of, from both ends, with some slack', () => {
    const { positions, indices } = squares([
        [0, 0, 0, 1],
        [0, 0, 0.5, 0.3],
        [0, 0, 1, 1],
      ]),
      buffer = new DepthBuffer(128);
    buffer.lookAlong([0, 0, 1], positions);
    drawn(buffer, indices, [0, 1, 2]);
    expect([0, 4, 8].map((vertex) => buffer.sees(vertex, 1))).toEqual([true, false, true]);
    expect(buffer.sees(4, 1000)).toBe(true);
  });
  it('counts what is only looked through without hiding anything behind it', () => {
    const { positions, indices } = squares([
        [0, 0, 0, 1],
        [0, 0, 0.5, 0.5],
      ]),
      buffer = new DepthBuffer(64),
      seen = new Float64Array(1);
    buffer.lookAlong([0, 0, 1], positions);
    const [, pane] = drawn(buffer, indices, [0, -1]);
    expect(pane.passed).toBeGreaterThan(800);
    buffer.countInto(seen);
    expect(seen[0]).toBeGreaterThan(3500);
  });
  it('looks all around in seven drawings, none of them twice', () => {
    expect(AROUND.length).toBe(7);
    expect(new Set(AROUND.flatMap((d) => [d, d.map((c) => -c)]).map((d) => d.map((c) => c + 0).join(' '))).size).toBe(
      14,
    );
    const { positions, indices } = squares([[0, 0, 0, 1]]),
      buffer = new DepthBuffer(64);
    let area = 0;
    for (const view of AROUND) {
      buffer.lookAlong(view, positions);
      area += drawn(buffer, indices, [0])[0].area;
    }
    expect(area).toBeGreaterThan(3500);
  });
  it('lives with nothing to draw and with faces of no area', () => {
    const buffer = new DepthBuffer(16);
    buffer.lookAlong([1, 1, 1], new Float32Array(0));
    expect(buffer.draw(new Uint32Array(0), 0, 0, 0, () => {})).toBe(0);
    buffer.lookAlong([0, 0, 1], new Float32Array(9));
    expect(buffer.draw(Uint32Array.from([0, 1, 2]), 0, 1, 0, () => {})).toBe(0);
  });
});
