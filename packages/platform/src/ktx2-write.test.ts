import { imageError, ktx2Head, type PackOperation, type Pixels, textureMemory } from '@dimetra/core';
import { read, KHR_SUPERCOMPRESSION_BASISLZ, KHR_SUPERCOMPRESSION_ZSTD } from 'ktx-parse';
import { describe, expect, it, vi } from 'vitest';
import { sharpCodec, unpackKtx2 } from './index.ts';

const SIDE = 64;
const picture = (texel: (x: number, y: number) => number[], width = SIDE, height = SIDE): Pixels => {
  const data = new Uint8Array(width * height * 4);
  for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) data.set(texel(x, y), (y * width + x) * 4);
  return { width, height, data };
};
const skin = picture((x, y) => [190 + ((x * 7 + y * 3) % 12), 140 + (y % 9), 120, 255]),
  leaves = picture((x, y) => [40, 90 + (x % 40), 30, (x + y) % 16 < 8 ? 255 : 0]),
  waves = picture((x) => {
    const slope = Math.sin(x / 5) * 0.3,
      z = Math.sqrt(1 - slope * slope);
    return [Math.round(slope * 127.5 + 127.5), 128, Math.round(z * 127.5 + 127.5), 255];
  });
const png = (pixels: Pixels) => sharpCodec.encode?.(pixels) as Promise<Uint8Array>;
const pack = async (pixels: Pixels, change: Partial<PackOperation> = {}) =>
  (await sharpCodec.pack?.(await png(pixels), {
    op: 'pack',
    packing: 'uastc',
    content: 'color',
    maxError: 1,
    ...change,
  })) as NonNullable<Awaited<ReturnType<NonNullable<typeof sharpCodec.pack>>>>;

describe('packing for graphics processors', () => {
  it('writes KTX 2.0 that an independent parser reads: sizes, levels, packing, curve of colours', async () => {
    for (const [packing, scheme] of [
      ['uastc', KHR_SUPERCOMPRESSION_ZSTD],
      ['etc1s', KHR_SUPERCOMPRESSION_BASISLZ],
    ] as const)
      for (const content of ['color', 'data'] as const) {
        const { bytes } = await pack(skin, { packing, content }),
          file = read(bytes);
        expect([file.pixelWidth, file.pixelHeight, file.levels.length]).toEqual([SIDE, SIDE, 7]);
        expect(file.supercompressionScheme).toBe(scheme);
        // Khronos Data Format: 2 is sRGB, 1 linear.
        expect(file.dataFormatDescriptor[0].transferFunction).toBe(content === 'color' ? 2 : 1);
        expect(ktx2Head(bytes)).toEqual({ width: SIDE, height: SIDE, packing, alpha: false });
      }
  });
  it('keeps what it packs within what it says, alpha and directions too', async () => {
    for (const [pixels, content, allowed] of [
      [skin, 'color', 1],
      [leaves, 'color', 2],
      [waves, 'normal', 1.5],
    ] as const) {
      const { bytes, error } = await pack(pixels, { content });
      expect(error).toBeLessThan(allowed);
      expect(imageError(pixels, await unpackKtx2(bytes), content)).toBe(error);
      expect(imageError(pixels, await sharpCodec.decode(bytes), content)).toBe(error);
    }
    const { bytes } = await pack(leaves, { packing: 'etc1s' });
    expect(ktx2Head(bytes)?.alpha).toBe(true);
  });
  it('takes ETC1S where that is as good as is allowed, and UASTC where it is not, or where directions are held', async () => {
    expect((await pack(skin, { packing: 'smallest', maxError: 3 })).packing).toBe('etc1s');
    expect((await pack(skin, { packing: 'smallest', maxError: 0.01 })).packing).toBe('uastc');
    expect((await pack(waves, { packing: 'smallest', maxError: 90, content: 'normal' })).packing).toBe('uastc');
  });
  it('gives the same bytes each time, side by side too, and says nothing on the console', async () => {
    const write = vi.spyOn(process.stdout, 'write'),
      all = await Promise.all([pack(skin), pack(leaves), pack(skin), pack(waves, { content: 'normal' })]);
    expect(write.mock.calls.flat().filter((said) => /Slice|basis/i.test(String(said)))).toEqual([]);
    write.mockRestore();
    expect(all[2].bytes).toEqual(all[0].bytes);
    expect((await pack(skin)).bytes).toEqual(all[0].bytes);
  });
  it('refuses sides that make no whole blocks, and packs the next', async () => {
    await expect(pack(picture(() => [1, 2, 3, 255], 30, 20))).rejects.toThrow(/30 × 20, are no multiples of four/);
    expect((await pack(skin)).bytes.length).toBeGreaterThan(500);
  });
  it('opens smaller where less is asked for', async () => {
    const { bytes } = await pack(skin),
      small = await sharpCodec.decode(bytes, 16);
    expect([small.width, small.height, small.data.length]).toEqual([16, 16, 1024]);
    expect(Math.abs(small.data[0] - 195)).toBeLessThan(12);
  });
  it('takes a quarter or an eighth of the memory', () => {
    const size = { width: 256, height: 256 },
      plain = textureMemory(size);
    expect(textureMemory({ ...size, packing: 'uastc' }) / plain).toBeCloseTo(1 / 4, 4);
    expect(textureMemory({ ...size, packing: 'etc1s', alpha: true }) / plain).toBeCloseTo(1 / 4, 4);
    expect(textureMemory({ ...size, packing: 'etc1s' }) / plain).toBeCloseTo(1 / 8, 4);
  });
});

describe('quality by what it may change', () => {
  it('is the lowest that keeps to it, and the best where none does', async () => {
    const random = (() => {
        let state = 7;
        return () => (state = (state * 16807) % 2147483647) / 2147483647;
      })(),
      noisy = await png(picture(() => [random() * 255, random() * 255, random() * 255, 255])),
      smooth = await png(picture((x, y) => [100 + x, 90 + y, 80, 255]));
    const size = async (bytes: Uint8Array, maxError: number, mimeType: 'image/jpeg' | 'image/webp' = 'image/jpeg') =>
      (await sharpCodec.apply(bytes, [{ op: 'encode', mimeType, quality: 98, maxError, content: 'color' }])).bytes;
    for (const mimeType of ['image/jpeg', 'image/webp'] as const) {
      const strict = await size(smooth, 0.6, mimeType),
        loose = await size(smooth, 20, mimeType);
      expect(loose.length).toBeLessThan(strict.length);
      expect(imageError(await sharpCodec.decode(smooth), await sharpCodec.decode(strict), 'color')).toBeLessThan(0.9);
    }
    const best = await sharpCodec.apply(noisy, [{ op: 'encode', mimeType: 'image/jpeg', quality: 98 }]);
    expect(await size(noisy, 0.001)).toEqual(best.bytes);
  });
});
