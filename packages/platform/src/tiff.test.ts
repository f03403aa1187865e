import { readCharacter } from '@dimetra/core';
import fc from 'fast-check';
import sharp, { type Sharp } from 'sharp';
import { describe, expect, it } from 'vitest';
import { unpackImage } from './index.ts';

const W = 37,
  H = 29,
  RGBA = Uint8Array.from({ length: W * H * 4 }, (_, i) => (i * 53 + (i >> 5)) % 256),
  RGB = RGBA.filter((_, i) => i % 4 !== 3);
const from = (channels: 3 | 4) => sharp(channels === 4 ? RGBA : RGB, { raw: { width: W, height: H, channels } });
const open = async (image: Sharp) => sharp(await unpackImage(new Uint8Array(await image.toBuffer()), 'image/tiff'));
const raw = async (image: Sharp) => [...(await image.raw().toBuffer())];

/** One strip of grey floats (TIFF 6.0), which the writer above can't make. */
function floatTiff(values: Float32Array): Uint8Array {
  const tags: [number, number, number][] = [
    [256, 3, values.length],
    [257, 3, 1],
    [258, 3, 32],
    [259, 3, 1],
    [262, 3, 1],
    [273, 4, 8],
    [277, 3, 1],
    [278, 3, 1],
    [279, 4, values.byteLength],
    [339, 3, 3],
  ];
  const at = 8 + values.byteLength,
    view = new DataView(new ArrayBuffer(at + 2 + tags.length * 12 + 4));
  view.setUint16(0, 0x4949);
  view.setUint16(2, 42, true);
  view.setUint32(4, at, true);
  values.forEach((x, i) => view.setFloat32(8 + i * 4, x, true));
  view.setUint16(at, tags.length, true);
  tags.forEach(([tag, type, value], i) => {
    const to = at + 2 + i * 12;
    view.setUint16(to, tag, true);
    view.setUint16(to + 2, type, true);
    view.setUint32(to + 4, 1, true);
    if (type === 3) view.setUint16(to + 8, value, true);
    else view.setUint32(to + 8, value, true);
  });
  return new Uint8Array(view.buffer);
}

describe('TIFF', () => {
  it.each(['none', 'lzw', 'deflate', 'packbits'] as const)(
    'comes through without loss, packed by %s',
    async (compression) => {
      expect(await raw(await open(from(4).tiff({ compression })))).toEqual([...RGBA]);
    },
  );
  it('comes through in tiles and with sums along rows', async () => {
    expect(await raw(await open(from(3).tiff({ compression: 'lzw', predictor: 'horizontal' })))).toEqual([...RGB]);
    expect(
      await raw(await open(from(3).tiff({ compression: 'none', tile: true, tileWidth: 16, tileHeight: 16 }))),
    ).toEqual([...RGB]);
  });
  it('keeps sixteen bits of a height map', async () => {
    const deep = Uint16Array.from({ length: W * H }, (_, i) => (i * 1871) % 65_536);
    const png = await open(
      sharp(deep, { raw: { width: W, height: H, channels: 1 } })
        .toColourspace('grey16')
        .tiff({ compression: 'none' }),
    );
    expect((await png.metadata()).depth).toBe('ushort');
    const back = await png.toColourspace('rgb16').raw({ depth: 'ushort' }).toBuffer();
    expect([...new Uint16Array(back.buffer, back.byteOffset, W * H * 3)].filter((_, i) => i % 3 === 0)).toEqual([
      ...deep,
    ]);
  });
  it('spreads floats of 0 to 1 over sixteen bits', async () => {
    const floats = Float32Array.of(0, 0.25, 0.5, 1);
    const png = sharp(await unpackImage(floatTiff(floats), 'image/tiff'));
    const back = await png.toColourspace('rgb16').raw({ depth: 'ushort' }).toBuffer(),
      got = [...new Uint16Array(back.buffer, back.byteOffset, 12)].filter((_, i) => i % 3 === 0);
    got.forEach((value, i) => expect(Math.abs(value - floats[i] * 65_535)).toBeLessThan(2));
  });
  it('reads one bit', async () => {
    const bits = sharp(
      Uint8Array.from({ length: 16 }, (_, i) => (i % 3 ? 255 : 0)),
      { raw: { width: 8, height: 2, channels: 1 } },
    ).tiff({ bitdepth: 1, compression: 'none' });
    expect(await raw((await open(bits)).toColourspace('b-w').extractChannel(0))).toEqual(
      Array.from({ length: 16 }, (_, i) => (i % 3 ? 255 : 0)),
    );
  });
  it('comes in beside an OBJ as PNG, and a broken one is told of', async () => {
    const tif = new Uint8Array(await from(3).tiff({ compression: 'lzw' }).toBuffer()),
      text = (value: string) => new TextEncoder().encode(value);
    const files = (image: Uint8Array) => [
      { path: 'a.obj', bytes: text('mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl m\nf 1 2 3\n') },
      { path: 'a.mtl', bytes: text('newmtl m\nmap_Kd coat.tif\n') },
      { path: 'coat.tif', bytes: image },
    ];
    const good = await readCharacter(files(tif), undefined, { unpackImage });
    expect(good.document.getRoot().listMaterials()[0].getBaseColorTexture()?.getMimeType()).toBe('image/png');
    const bad = await readCharacter(files(tif.slice(0, 40)), undefined, { unpackImage });
    expect(bad.findings.some((finding) => finding.code === 'image.unreadable' && finding.severity === 'error')).toBe(
      true,
    );
    expect(bad.document.getRoot().listMaterials()[0].getBaseColorTexture()).toBeNull();
  });
  it('fails by its own sentence only, whatever the bytes', async () => {
    const good = new Uint8Array(await from(4).tiff({ compression: 'deflate' }).toBuffer());
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.tuple(fc.nat(good.length - 1), fc.nat(255)), { minLength: 1, maxLength: 8 }),
        async (changes) => {
          const copy = good.slice();
          for (const [place, value] of changes) copy[place] = value;
          try {
            await unpackImage(copy, 'image/tiff');
          } catch (error) {
            expect((error as { code?: string }).code).toBe('image.unreadable');
          }
        },
      ),
      { seed: 5, numRuns: 100 },
    );
  });
});
