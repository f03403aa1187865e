import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { encodePixels, peakMemory, readInput, sha256, sharpCodec, writeOutput } from './index.ts';

const folder = mkdtempSync(join(tmpdir(), 'dimetra-platform-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const picture = (width: number, height: number, at: (x: number, y: number) => number[]) => ({ width, height, channels: 3 as const, data: Uint8Array.from(Array.from({ length: width * height }, (_, i) => at(i % width, Math.floor(i / width))).flat()) });

describe('sharpCodec', () => {
  it('reads back what it wrote, with alpha where there was none', async () => {
    const png = await encodePixels(picture(4, 2, (x, y) => [x * 60, y * 90, 7]), 'image/png');
    const pixels = await sharpCodec.decode(png);
    expect([pixels.width, pixels.height, ...pixels.data.slice(4, 8)]).toEqual([4, 2, 60, 0, 7, 255]);
  });
  it('averages colour in linear light and data as it is', async () => {
    // black and white columns: half the light is about 186 in a display's curve, half the data 128
    const stripes = await encodePixels(picture(64, 64, (x) => (x % 2 ? [255, 255, 255] : [0, 0, 0])), 'image/png');
    const grey = async (content: 'color' | 'data') => (await sharpCodec.decode((await sharpCodec.apply(stripes, [{ op: 'resize', width: 8, height: 8, content }])).bytes)).data[(3 * 8 + 3) * 4];
    expect(Math.abs((await grey('color')) - 186)).toBeLessThan(8);
    expect(Math.abs((await grey('data')) - 128)).toBeLessThan(6);
  });
  it('brings averaged normals back to unit length', async () => {
    const tilted = await encodePixels(picture(32, 32, (x) => (x % 2 ? [218, 128, 218] : [38, 128, 218])), 'image/png');
    const { data } = await sharpCodec.decode((await sharpCodec.apply(tilted, [{ op: 'resize', width: 4, height: 4, content: 'normal' }])).bytes);
    for (let i = 0; i < data.length; i += 4) expect(Math.hypot(data[i] / 127.5 - 1, data[i + 1] / 127.5 - 1, data[i + 2] / 127.5 - 1)).toBeCloseTo(1, 1);
  });
  it('changes format when asked, and says so when an image is broken', async () => {
    const png = await encodePixels(picture(8, 8, () => [9, 9, 9]), 'image/png');
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
});

it('tells the most memory the process had, which a large array raises', () => {
  const before = peakMemory();
  expect(before).toBeGreaterThan(20e6);
  const large = new Uint8Array(before).fill(1);
  expect(peakMemory()).toBeGreaterThan(before);
  expect(large.length).toBe(before);
});
