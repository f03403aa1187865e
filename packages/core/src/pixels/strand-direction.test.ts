import { describe, expect, it } from 'vitest';
import { seededRandom } from '../geometry/index.ts';
import type { Pixels } from './codec.ts';
import { strandDirection } from './strand-direction.ts';

const SIZE = 128;
/** Wavy stripes along a direction (degrees from u, v's origin above), of some contrast, under noise. */
function stripes(degrees: number, { noise = 10, contrast = 80, width = SIZE, height = SIZE } = {}): Pixels {
  const random = seededRandom(Math.round(degrees) + 1),
    data = new Uint8Array(width * height * 4),
    a = (degrees * Math.PI) / 180;
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      // Square to the strands; rows run down.
      const across = x * Math.sin(a) + y * Math.cos(a),
        value = 120 + contrast * Math.sin(across * 0.9) + noise * (random() - 0.5);
      data.set([value, value * 0.8, value * 0.6, 255], (y * width + x) * 4);
    }
  return { width, height, data };
}
const apart = (a: number, b: number) => Math.abs(((a - b + 270) % 180) - 90);

describe('the direction of strands', () => {
  it.each([0, 17, 30, 45, 60, 90, 120, 135, 170])('is found at %s degrees', (degrees) => {
    const found = strandDirection(stripes(degrees));
    expect(apart(found?.degrees ?? -1, degrees)).toBeLessThan(1);
    expect(found?.coherence).toBeGreaterThan(0.9);
    expect(found?.degrees).toBeGreaterThanOrEqual(0);
    expect(found?.degrees).toBeLessThan(180);
  });
  it('is told with how far the map agrees: noise has none, one tone is none', () => {
    expect(strandDirection(stripes(30, { contrast: 0, noise: 200 }))?.coherence).toBeLessThan(0.1);
    expect(strandDirection(stripes(30, { contrast: 0, noise: 0 }))).toBeNull();
    const both = stripes(0),
      other = stripes(90);
    both.data.set(other.data.subarray(0, other.data.length / 2));
    expect(strandDirection(both)?.coherence).toBeLessThan(0.2);
  });
  it('does not look at what is clear, and takes maps that are not square', () => {
    const wide = stripes(60, { width: 200, height: 90 });
    expect(apart(strandDirection(wide)?.degrees ?? -1, 60)).toBeLessThan(1.5);
    const half = stripes(20),
      hidden = stripes(110);
    for (let i = 0; i < half.data.length / 2; i += 4) half.data.set([...hidden.data.subarray(i, i + 3), 0], i);
    expect(apart(strandDirection(half)?.degrees ?? -1, 20)).toBeLessThan(2);
    expect(strandDirection({ width: 1, height: 1, data: new Uint8Array(4) })).toBeNull();
  });
});
