import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { sharpCodec } from '@dimetra/platform';
import { ProblemError } from '../../problem.ts';
import { readBmp } from './bmp.ts';
import { writePng } from './png.ts';
import { asGltfImage, imageType } from './shelf.ts';
import { readTga } from './tga.ts';

const tga = (
  type: number,
  width: number,
  height: number,
  depth: number,
  descriptor: number,
  body: number[],
  map: number[] = [],
) =>
  Uint8Array.of(
    0,
    map.length ? 1 : 0,
    type,
    0,
    0,
    map.length / 3,
    0,
    map.length ? 24 : 0,
    0,
    0,
    0,
    0,
    width,
    0,
    height,
    0,
    depth,
    descriptor,
    ...map,
    ...body,
  );

describe('PNG', () => {
  it('is read back by another library as it was written, with and without alpha', async () => {
    const data = Uint8Array.from({ length: 6 * 5 * 4 }, (_, i) => (i * 37) % 256);
    expect((await sharpCodec.decode(writePng({ width: 6, height: 5, data }))).data).toEqual(data);
    for (let i = 3; i < data.length; i += 4) data[i] = 255;
    expect((await sharpCodec.decode(writePng({ width: 6, height: 5, data }))).data).toEqual(data);
  });
});

describe('TGA', () => {
  it('reads true colour from the bottom up and from the top down', () => {
    expect([...readTga(tga(2, 1, 2, 24, 0, [3, 2, 1, 6, 5, 4]), 'a.tga').data]).toEqual([4, 5, 6, 255, 1, 2, 3, 255]);
    expect([...readTga(tga(2, 1, 2, 24, 32, [3, 2, 1, 6, 5, 4]), 'a.tga').data]).toEqual([1, 2, 3, 255, 4, 5, 6, 255]);
  });
  it('reads run lengths, alpha, grey and a colour table', () => {
    expect([...readTga(tga(10, 3, 1, 32, 40, [0x81, 3, 2, 1, 128, 0x00, 9, 8, 7, 0]), 'a.tga').data]).toEqual([
      1, 2, 3, 128, 1, 2, 3, 128, 7, 8, 9, 0,
    ]);
    expect([...readTga(tga(3, 2, 1, 8, 32, [7, 200]), 'a.tga').data]).toEqual([7, 7, 7, 255, 200, 200, 200, 255]);
    expect([...readTga(tga(1, 2, 1, 8, 32, [1, 0], [10, 20, 30, 40, 50, 60]), 'a.tga').data]).toEqual([
      60, 50, 40, 255, 30, 20, 10, 255,
    ]);
  });
  it('shows an image whose alpha was declared empty', () => {
    expect(readTga(tga(2, 1, 1, 32, 32, [3, 2, 1, 0]), 'a.tga').data[3]).toBe(255);
  });
  it('refuses what is cut off, and never fails otherwise', () => {
    expect(() => readTga(tga(2, 9, 9, 24, 0, [1]), 'a.tga')).toThrow(/cut off/);
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 60 }), (bytes) => {
        try {
          readTga(bytes, 'a.tga');
        } catch (error) {
          if (!(error instanceof ProblemError)) throw error;
        }
      }),
      { seed: 9, numRuns: 400 },
    );
  });
});

describe('BMP', () => {
  const bmp = (width: number, height: number, bits: number, body: number[], table: number[] = []) => {
    const out = new Uint8Array(54 + table.length + body.length),
      view = new DataView(out.buffer);
    out.set([0x42, 0x4d]);
    view.setUint32(10, 54 + table.length, true);
    view.setUint32(14, 40, true);
    view.setInt32(18, width, true);
    view.setInt32(22, height, true);
    view.setUint16(28, bits, true);
    out.set(table, 54);
    out.set(body, 54 + table.length);
    return out;
  };
  it('reads 24 bits with padded rows, and one bit with a table', () => {
    expect([...readBmp(bmp(1, 2, 24, [3, 2, 1, 0, 6, 5, 4, 0]), 'a.bmp').data]).toEqual([4, 5, 6, 255, 1, 2, 3, 255]);
    expect([...readBmp(bmp(2, 1, 1, [0b01000000, 0, 0, 0], [0, 0, 0, 0, 255, 255, 255, 0]), 'a.bmp').data]).toEqual([
      0, 0, 0, 255, 255, 255, 255, 255,
    ]);
  });
  it('never fails but with a sentence', () => {
    fc.assert(
      fc.property(fc.uint8Array({ minLength: 54, maxLength: 120 }), (bytes) => {
        bytes.set([0x42, 0x4d]);
        try {
          readBmp(bytes, 'a.bmp');
        } catch (error) {
          if (!(error instanceof ProblemError)) throw error;
        }
      }),
      { seed: 10, numRuns: 400 },
    );
  });
});

describe('asGltfImage', () => {
  it('goes by content, keeps what glTF knows, and turns the rest into PNG', () => {
    expect(imageType(Uint8Array.of(0xff, 0xd8, 0xff, 0))).toBe('image/jpeg');
    expect(asGltfImage({ path: 'wrong.tga', bytes: Uint8Array.of(0x89, 0x50, 0x4e, 0x47, 0, 0) }).mimeType).toBe(
      'image/png',
    );
    expect(imageType(asGltfImage({ path: 'a.tga', bytes: tga(2, 1, 1, 24, 0, [3, 2, 1]) }).bytes)).toBe('image/png');
    expect(() => asGltfImage({ path: 'notes.txt', bytes: Uint8Array.of(1, 2, 3, 4) })).toThrow(/no image/);
  });
});
