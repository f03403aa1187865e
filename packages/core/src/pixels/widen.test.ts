import { describe, expect, it } from 'vitest';
import type { Pixels } from './codec.ts';
import { widenRoughness } from './widen.ts';

const picture = (side: number, of: (x: number, y: number) => number[]): Pixels => {
  const data = new Uint8Array(side * side * 4);
  for (let i = 0; i < side * side; i++) data.set(of(i % side, Math.floor(i / side)), i * 4);
  return { width: side, height: side, data };
};
const surface = (rough: number, side = 4) => picture(side, () => [9, Math.round(rough * 255), 77, 255]);
/** Slopes that lean one way and the other by an angle, texel by texel. */
const waves = (degrees: number, side = 16) =>
  picture(side, (x) => {
    const lean = ((x % 2 ? 1 : -1) * degrees * Math.PI) / 180;
    return [Math.round((Math.sin(lean) + 1) * 127.5), 128, Math.round((Math.cos(lean) + 1) * 127.5), 255];
  });

describe('roughness beside normals that are averaged', () => {
  it('grows by what they lose, as the formula says, and nothing else changes', () => {
    for (const degrees of [15, 20, 25]) {
      // The mean of directions that lean ±d along x is as long as the cosine of d.
      const length = Math.cos((degrees * Math.PI) / 180),
        expected = (0.3 ** 4 + Math.min(0.18, (2 * (1 - length)) / length)) ** 0.25,
        wide = widenRoughness(surface(0.3), waves(degrees));
      for (let i = 0; i < 16; i++) {
        expect(Math.abs(wide.data[i * 4 + 1] / 255 - expected)).toBeLessThan(0.02);
        expect([wide.data[i * 4], wide.data[i * 4 + 2], wide.data[i * 4 + 3]]).toEqual([9, 77, 255]);
      }
    }
  });
  it('stays as it is on level ground, where the map is no smaller, and where nothing but black is', () => {
    const even = surface(0.4);
    expect(widenRoughness(even, waves(0))).toBe(even);
    expect(widenRoughness(even, waves(3))).toBe(even);
    expect(widenRoughness(even, waves(25, 4))).toBe(even);
    expect(
      widenRoughness(
        even,
        picture(16, () => [0, 0, 0, 255]),
      ),
    ).toBe(even);
  });
  it('never shines more, and is never over one', () => {
    for (const rough of [0, 0.5, 1]) {
      const wide = widenRoughness(surface(rough), waves(60));
      expect(wide.data[1]).toBeGreaterThanOrEqual(Math.round(rough * 255));
      expect(wide.data[1]).toBeLessThanOrEqual(255);
    }
    expect(widenRoughness(surface(0), waves(60)).data[1] / 255).toBeCloseTo(0.18 ** 0.25, 2);
  });
});
