import { describe, expect, it } from 'vitest';
import { seededRandom } from '../geometry/index.ts';
import { encodedByte, LINEAR } from './color.ts';
import type { Pixels } from './codec.ts';
import { paintedHighlight, withoutHighlight } from './painted-highlight.ts';

const SIZE = 128;
/** Strands along v, each of a tone of its own, times what `light` says along them (0 at the upper end). */
function strands(light: (along: number, strand: number) => number, turned = false): Pixels {
  const random = seededRandom(5),
    tones = Array.from({ length: SIZE / 4 }, () => 0.04 + 0.08 * random()),
    data = new Uint8Array(SIZE * SIZE * 4);
  for (let y = 0; y < SIZE; y++)
    for (let x = 0; x < SIZE; x++) {
      const [s, t] = turned ? [y, x] : [x, y],
        strand = s >> 2,
        value = encodedByte(tones[strand] * light((t + 0.5) / SIZE, strand) * (0.9 + 0.2 * random()));
      data.set([value, value, value, s % 4 === 0 ? 0 : 255], (y * SIZE + x) * 4);
    }
  return { width: SIZE, height: SIZE, data };
}
const band =
  (at: number, times: number, width = 0.07) =>
  (along: number) =>
    1 + (times - 1) * Math.exp(-(((along - at) / width) ** 2));

describe('a highlight painted into a map of strands', () => {
  it.each([
    ['along v', false, 90],
    ['along u', true, 0],
  ] as const)('is found and taken out, strands %s', (_, turned, degrees) => {
    const lit = strands(band(0.35, 2), turned),
      plain = strands(() => 1, turned),
      found = paintedHighlight(lit, degrees);
    expect(found?.times).toBeGreaterThan(1.7);
    // Strands along v are told from below.
    expect(found?.at).toBeCloseTo(turned ? 0.35 : 0.65, 1);
    if (!found) return;
    const out = withoutHighlight(lit, degrees, found);
    expect(paintedHighlight(out, degrees)).toBeNull();
    let off = 0,
      before = 0;
    for (let i = 0; i < out.data.length; i += 4) {
      off += Math.abs(LINEAR[out.data[i]] - LINEAR[plain.data[i]]);
      before += Math.abs(LINEAR[lit.data[i]] - LINEAR[plain.data[i]]);
    }
    expect(off).toBeLessThan(before * 0.2);
    // Alpha, and what lies off the band, stay to the last bit.
    const [x, y] = turned ? [120, 61] : [61, 120];
    expect([...out.data.subarray((y * SIZE + x) * 4, (y * SIZE + x) * 4 + 4)]).toEqual([
      ...lit.data.subarray((y * SIZE + x) * 4, (y * SIZE + x) * 4 + 4),
    ]);
  });
  it.each([
    ['none', () => 1],
    ['dark roots', (along: number) => Math.min(1, 0.3 + 2 * along)],
    ['light tips', (along: number) => 1 + 2 * along * along],
    ['light in one strand of eight alone', (along: number, strand: number) => (strand % 16 ? 1 : band(0.5, 6)(along))],
    ['a faint one', band(0.5, 1.1)],
  ] as const)('is none where there is %s', (_, light) => {
    expect(paintedHighlight(strands(light), 90)).toBeNull();
  });
  it('is none where nothing is to be seen', () => {
    expect(paintedHighlight({ width: 8, height: 8, data: new Uint8Array(256) }, 90)).toBeNull();
  });
});
