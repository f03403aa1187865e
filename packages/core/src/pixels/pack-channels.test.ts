import { describe, expect, it } from 'vitest';
import type { Pixels } from './codec.ts';
import { isRedFull, packChannels, redAlone, withoutRed } from './pack-channels.ts';

/** A picture of one colour a texel, row by row. */
const picture = (width: number, texels: readonly (readonly number[])[]): Pixels => ({
  width,
  height: texels.length / width,
  data: Uint8Array.from(texels.flatMap(([r, g, b, a = 255]) => [r, g, b, a])),
});
const texel = ({ data }: Pixels, i: number) => [...data.subarray(i * 4, i * 4 + 4)];

describe('channels in one picture', () => {
  const occlusion = picture(2, [
      [10, 1, 2],
      [20, 3, 4],
    ]),
    surface = picture(2, [
      [5, 60, 70],
      [6, 80, 90, 30],
    ]);
  it('stand byte by byte as they stood, occlusion red, roughness green, metalness blue', () => {
    const packed = packChannels(occlusion, surface);
    expect([texel(packed, 0), texel(packed, 1)]).toEqual([
      [10, 60, 70, 255],
      [20, 80, 90, 255],
    ]);
  });
  it('are full where one is missing', () => {
    expect(texel(packChannels(occlusion, null), 1)).toEqual([20, 255, 255, 255]);
    expect(texel(packChannels(null, surface), 1)).toEqual([255, 80, 90, 255]);
    expect(packChannels(null, null)).toMatchObject({ width: 1, height: 1 });
  });
  it('take the larger side of each, and the smaller picture is read between its texels', () => {
    const tall = picture(1, [
        [0, 0, 0],
        [100, 0, 0],
        [200, 0, 0],
        [100, 0, 0],
      ]),
      packed = packChannels(tall, surface);
    expect([packed.width, packed.height]).toEqual([2, 4]);
    expect([0, 2, 4, 6].map((i) => texel(packed, i)[0])).toEqual([0, 100, 200, 100]);
    expect([0, 1].map((i) => texel(packed, i)[1])).toEqual([60, 80]);
    // One colour stays that colour whatever the size.
    const flat = packChannels(picture(1, [[77, 0, 0]]), picture(3, Array(9).fill([0, 50, 60])));
    for (let i = 0; i < 9; i++) expect(texel(flat, i)).toEqual([77, 50, 60, 255]);
  });
  it('come apart again to the byte', () => {
    const packed = packChannels(occlusion, surface),
      alone = redAlone(packed),
      rest = withoutRed(packed);
    expect(texel(alone, 1)).toEqual([20, 20, 20, 255]);
    expect(texel(rest, 1)).toEqual([255, 80, 90, 255]);
    expect([isRedFull(packed), isRedFull(rest)]).toEqual([false, true]);
    expect(packChannels(alone, rest)).toEqual(packed);
  });
});
