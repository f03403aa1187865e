import { mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import sharp from 'sharp';
import { afterAll, describe, expect, it } from 'vitest';
import { encodePixels, peakMemory, readInput, sha256, sharpCodec, writeOutput } from './index.ts';

const folder = mkdtempSync(join(tmpdir(), 'dimetra-platform-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const picture = (width: number, height: number, at: (x: number, y: number) => number[]) => ({
  width,
  height,
  channels: 3 as const,
  data: Uint8Array.from(Array.from({ length: width * height }, (_, i) => at(i % width, Math.floor(i / width))).flat()),
});

describe('sharpCodec', () => {
  it('reads back what it wrote, with alpha where there was none', async () => {
    const png = await encodePixels(
      picture(4, 2, (x, y) => [x * 60, y * 90, 7]),
      'image/png',
    );
    const pixels = await sharpCodec.decode(png);
    expect([pixels.width, pixels.height, ...pixels.data.slice(4, 8)]).toEqual([4, 2, 60, 0, 7, 255]);
  });
  const resize = (width: number, height: number, content: 'color' | 'data' | 'normal') => [
    { op: 'resize' as const, width, height, content },
  ];
  it('keeps every tone: 0 to 255 within 1 at equal size, within 2 on flat areas when halved', async () => {
    const levels = await encodePixels(
      picture(2048, 8, (x) => [x >> 3, x >> 3, x >> 3]),
      'image/png',
    );
    for (const [shrink, most] of [
      [1, 1],
      [2, 2],
    ]) {
      const { data } = await sharpCodec.decode(
        (await sharpCodec.apply(levels, resize(2048 / shrink, 8 / shrink, 'color'))).bytes,
      );
      const off = Array.from({ length: 256 }, (_, level) => Math.abs(data[((level * 8 + 4) / shrink) * 4] - level));
      expect(Math.max(...off)).toBeLessThanOrEqual(most);
    }
  });
  it('averages colour in linear light and data as it is', async () => {
    const checker = await encodePixels(
      picture(64, 64, (x, y) => ((x + y) % 2 ? [255, 255, 255] : [0, 0, 0])),
      'image/png',
    );
    const grey = async (content: 'color' | 'data') =>
      (await sharpCodec.decode((await sharpCodec.apply(checker, resize(32, 32, content))).bytes)).data[
        (15 * 32 + 15) * 4
      ];
    // Half of the light is 188 in the curve of sRGB (IEC 61966-2-1), half of the data 128.
    expect(await grey('color')).toBe(188);
    expect(Math.abs((await grey('data')) - 128)).toBeLessThanOrEqual(1);
  });
  /** RGBA as a PNG. */
  const seeThrough = async (width: number, height: number, at: (x: number, y: number) => number[]) =>
    new Uint8Array(
      await sharp(
        Uint8Array.from(Array.from({ length: width * height }, (_, i) => at(i % width, Math.floor(i / width))).flat()),
        { raw: { width, height, channels: 4 } },
      )
        .png()
        .toBuffer(),
    );
  it('never mixes what lies under clear texels into a colour, and gives them the colour that is seen beside', async () => {
    const strand = await seeThrough(64, 64, (x) => (x < 33 ? [200, 100, 50, 255] : [0, 0, 0, 0]));
    const { data } = await sharpCodec.decode((await sharpCodec.apply(strand, resize(32, 32, 'color'))).bytes);
    for (let i = 0; i < data.length; i += 4)
      for (const [k, value] of [200, 100, 50].entries()) expect(Math.abs(data[i + k] - value)).toBeLessThanOrEqual(2);
    expect([0, 10, 20, 31].map((x) => data[(16 * 32 + x) * 4 + 3])).toEqual([255, 255, 0, 0]);
  });
  it('keeps data and normals under alpha 0, and their alpha apart', async () => {
    const packed = await seeThrough(16, 16, (_x, y) => [128, 190, 230, y < 8 ? 0 : 255]);
    for (const content of ['data', 'normal'] as const) {
      const { data } = await sharpCodec.decode((await sharpCodec.apply(packed, resize(8, 8, content))).bytes);
      for (let i = 0; i < data.length; i += 4) expect(data[i + 1]).toBeGreaterThan(180);
      expect([data[3], data[7 * 8 * 4 + 3]]).toEqual([0, 255]);
    }
  });
  it('pads islands before it scales, so that what lies between them stays out of their edges', async () => {
    const island = (x: number, y: number) => x >= 9 && x < 41 && y >= 9 && y < 41,
      bytes = await encodePixels(
        picture(64, 64, (x, y) => (island(x, y) ? [220, 220, 220] : [0, 0, 0])),
        'image/png',
      );
    const covered = (width: number, height: number) =>
      Uint8Array.from({ length: width * height }, (_, i) => Number(island(i % width, Math.floor(i / width))));
    const edge = async (mask?: typeof covered) => {
      const { data } = await sharpCodec.decode((await sharpCodec.apply(bytes, resize(16, 16, 'color'), mask)).bytes);
      return [2, 5, 9, 10].map((x) => data[(6 * 16 + x) * 4]);
    };
    expect(Math.min(...(await edge()))).toBeLessThan(200);
    for (const value of await edge(covered)) expect(Math.abs(value - 220)).toBeLessThanOrEqual(2);
  });
  it('keeps the colour under clear texels where the format has no alpha', async () => {
    const coat = await seeThrough(8, 8, (x) => [90, 60, 30, x < 4 ? 0 : 255]);
    const { data } = await sharpCodec.decode(
      (await sharpCodec.apply(coat, [{ op: 'encode', mimeType: 'image/jpeg', quality: 95 }])).bytes,
    );
    for (const [k, value] of [90, 60, 30].entries()) expect(Math.abs(data[k] - value)).toBeLessThanOrEqual(3);
  });
  it('brings averaged normals back to unit length', async () => {
    const tilted = await encodePixels(
      picture(32, 32, (x) => (x % 2 ? [218, 128, 218] : [38, 128, 218])),
      'image/png',
    );
    const { data } = await sharpCodec.decode(
      (await sharpCodec.apply(tilted, [{ op: 'resize', width: 4, height: 4, content: 'normal' }])).bytes,
    );
    for (let i = 0; i < data.length; i += 4)
      expect(Math.hypot(data[i] / 127.5 - 1, data[i + 1] / 127.5 - 1, data[i + 2] / 127.5 - 1)).toBeCloseTo(1, 1);
  });
  it('changes format when asked, and says so when an image is broken', async () => {
    const png = await encodePixels(
      picture(8, 8, () => [9, 9, 9]),
      'image/png',
    );
    const jpeg = await sharpCodec.apply(png, [{ op: 'encode', mimeType: 'image/jpeg', quality: 90 }]);
    expect([jpeg.mimeType, jpeg.bytes[0], jpeg.bytes[1]]).toEqual(['image/jpeg', 0xff, 0xd8]);
    await expect(sharpCodec.decode(Uint8Array.of(1, 2, 3))).rejects.toMatchObject({ code: 'image.unreadable' });
  });
});

describe('files', () => {
  it('bring what lies beside a .gltf, and only what a model can need', async () => {
    for (const name of ['a.gltf', 'a.bin', 'skin.png', 'notes.doc']) writeFileSync(join(folder, name), name);
    expect((await readInput(join(folder, 'a.gltf'))).map((file) => file.path)).toEqual(['a.gltf', 'a.bin', 'skin.png']);
    await expect(readInput(join(folder, 'missing.glb'))).rejects.toMatchObject({ code: 'intake.no-file' });
  });
  it('appear whole under folders of their own', async () => {
    await writeOutput(join(folder, 'out'), [{ path: 'deep/x.txt', bytes: new TextEncoder().encode('x') }]);
    expect(readFileSync(join(folder, 'out/deep/x.txt'), 'utf8')).toBe('x');
    expect(sha256(new Uint8Array(0))).toBe('e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855');
  });
  it('leaves nothing half written behind where one can’t be', async () => {
    const out = join(folder, 'taken');
    mkdirSync(join(out, 'x.txt/within'), { recursive: true });
    await expect(writeOutput(out, [{ path: 'x.txt', bytes: new Uint8Array(9) }])).rejects.toThrow(/can't be written/);
    expect(readdirSync(out)).toEqual(['x.txt']);
  });
});

it('tells the most memory the process had, which a large array raises', () => {
  const before = peakMemory();
  expect(before).toBeGreaterThan(20e6);
  const large = new Uint8Array(before).fill(1);
  expect(peakMemory()).toBeGreaterThan(before);
  expect(large.length).toBe(before);
});
