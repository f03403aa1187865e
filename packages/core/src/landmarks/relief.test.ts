import { describe, expect, it } from 'vitest';
import { Relief } from './relief.ts';

const AHEAD = { from: [0, 0, 0], forward: [0, 0, 1] } as const;
const seen = (positions: number[], forward: [number, number, number] = [0, 0, 1], cell = 0.01) =>
  new Relief(
    Float32Array.from(positions),
    Uint32Array.from({ length: positions.length / 3 }, (_, i) => i),
    { from: [...AHEAD.from], forward },
    { x: [-1, 1], y: [0, 2] },
    cell,
  );
/** z = x / 2 + 3 over a large triangle. */
const slope = (size: number) => [-size, -size, 3 - size / 2, size, -size, 3 + size / 2, 0, size, 3];

describe('a relief', () => {
  it('is how far out each place stands, of the triangle farthest out', () => {
    const relief = seen([...slope(5), -0.5, 0.5, 9, 0.5, 0.5, 9, 0, 1, 9]);
    expect(relief.at(-0.8, 1.5)).toBeCloseTo(2.6, 1);
    expect(relief.at(0, 0.6)).toBe(9);
    expect(relief.at(3, 1)).toBe(-Infinity);
    expect(seen([-0.5, 0.5, 9, 0.5, 0.5, 9, 0, 1, 9]).at(-0.8, 1.5)).toBe(-Infinity);
  });
  it('has no holes in small triangles, and is the same whether they are small or large', () => {
    const whole = seen(slope(4)),
      cut: number[] = [];
    for (let i = -40; i < 40; i++)
      for (let j = 0; j < 80; j++) {
        const p = (a: number, b: number) => [a / 40, b / 40, 3 + a / 80];
        cut.push(...p(i, j), ...p(i + 1, j), ...p(i, j + 1), ...p(i + 1, j), ...p(i + 1, j + 1), ...p(i, j + 1));
      }
    const fine = seen(cut);
    for (let i = 0; i < whole.wide; i++)
      for (let j = 0; j < whole.high; j++) {
        const [x, y] = whole.middle(i, j);
        expect(Math.abs(whole.at(x, y) - fine.at(x, y))).toBeLessThan(0.006);
      }
  });
  it('looks along any direction, and gives places back as they lie', () => {
    const turned = seen([2, 0.5, -0.5, 2, 0.5, 0.5, 2, 1.5, 0], [1, 0, 0]);
    expect(turned.at(0, 1)).toBeCloseTo(2, 5);
    expect(turned.place(0.25, 1, turned.at(0, 1)).map((x) => Math.round(x * 1e4) / 1e4)).toEqual([2, 1, -0.25]);
  });
  it('takes no longer for triangles of a kilometre, and leaves out what has no area', () => {
    // Sampled along their sides they would take hours.
    for (let i = 0; i < 20; i++) expect(seen(slope(1000 + i)).at(0, 1)).toBeCloseTo(3, 1);
    expect(seen([0, 0, 1, 1, 0, 1, 2, 0, 1]).at(0.5, 0.5)).toBe(-Infinity);
  });
});
