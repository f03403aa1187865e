import { Document } from '@gltf-transform/core';
import { KHRTextureTransform } from '@gltf-transform/extensions';
import sharp from 'sharp';
import { describe, expect, it } from 'vitest';
import * as v from 'valibot';
import { writePng } from '../formats/index.ts';
import { LINEAR, type Pixels, toSrgb } from '../pixels/index.ts';
import { BesideSchema, COMMON_LAYOUTS } from '../targets/index.ts';
import { mapsBeside } from './beside.ts';

const SIDE = 8;
const picture = (of: (i: number) => readonly number[], side = SIDE): Pixels => ({
  width: side,
  height: side,
  data: Uint8Array.from({ length: side * side }, (_, i) => i).reduce(
    (data, i) => {
      data.set(of(i), i * 4);
      return data;
    },
    new Uint8Array(side * side * 4),
  ),
});
const COLOR = picture((i) => [40 + i, 90, 200 - i, 255 - i]),
  NORMAL = picture((i) => [100 + (i % 40), 150, 220, 255]),
  SURFACE = picture((i) => [200 - i, 60 + i, i % 2 ? 255 : 0, 255]);

/** Read back by libvips alone. */
const opened = async (bytes: Uint8Array) => {
  const { data, info } = await sharp(bytes).raw().toBuffer({ resolveWithObject: true });
  return { data: new Uint8Array(data), channels: info.channels, width: info.width, height: info.height };
};
const images = {
  decode: async (bytes: Uint8Array) => {
    const { data, info } = await sharp(bytes).ensureAlpha().raw().toBuffer({ resolveWithObject: true });
    return { width: info.width, height: info.height, data: new Uint8Array(data) };
  },
  apply: async (bytes: Uint8Array) => ({ bytes, mimeType: 'image/png' as const }),
  encode: async ({ width, height, data }: Pixels, { opaque = false } = {}) => {
    const image = sharp(data, { raw: { width, height, channels: 4 } });
    return new Uint8Array(await (opaque ? image.removeAlpha() : image).png().toBuffer());
  },
};

function dressed() {
  const document = new Document(),
    texture = (name: string, pixels: Pixels) =>
      document.createTexture(name).setImage(writePng(pixels)).setMimeType('image/png').setURI(`${name}.png`),
    maps = { color: texture('c', COLOR), normal: texture('n', NORMAL), surface: texture('s', SURFACE) };
  const coat = document
    .createMaterial('Coat: outer/left')
    .setBaseColorTexture(maps.color)
    .setBaseColorFactor([0.5, 1, 1, 0.5])
    .setAlphaMode('BLEND')
    .setNormalTexture(maps.normal)
    .setNormalScale(0.5)
    .setMetallicRoughnessTexture(maps.surface)
    .setOcclusionTexture(maps.surface)
    .setOcclusionStrength(0.5)
    .setRoughnessFactor(0.8);
  return { document, maps, coat };
}
const layoutsOf = (i: number) => v.parse(BesideSchema, { layouts: COMMON_LAYOUTS[i].layouts });
const NAMES = { character: 'Pilot', target: 'deck' };

describe('maps beside the model', () => {
  it('hold what the layout says, factors, strengths and scale worked in', async () => {
    const { document } = dressed(),
      { files, list } = await mapsBeside(document, layoutsOf(0), NAMES, images);
    expect(files.map((file) => file.path)).toEqual([
      'maps/Coat_outer_left_color.png',
      'maps/Coat_outer_left_normal.png',
      'maps/Coat_outer_left_orm.png',
    ]);
    const [color, normal, orm] = await Promise.all(files.map((file) => opened(file.bytes)));
    expect([color.channels, normal.channels, orm.channels]).toEqual([4, 3, 3]);
    for (let i = 0; i < SIDE * SIDE; i++) {
      expect(color.data[i * 4]).toBe(Math.round(toSrgb(LINEAR[40 + i] * 0.5)));
      expect([...color.data.subarray(i * 4 + 1, i * 4 + 4)]).toEqual([90, 200 - i, Math.round((255 - i) * 0.5)]);
      expect([...orm.data.subarray(i * 3, i * 3 + 3)]).toEqual([
        Math.round(255 + 0.5 * (200 - i - 255)),
        Math.round((60 + i) * 0.8),
        i % 2 ? 255 : 0,
      ]);
      const slopes = [0, 1].map((k) => (NORMAL.data[i * 4 + k] / 127.5 - 1) * 0.5),
        z = 220 / 127.5 - 1,
        length = Math.hypot(...slopes, z);
      expect(Math.abs(normal.data[i * 3] / 127.5 - 1 - slopes[0] / length)).toBeLessThan(0.005);
      expect(Math.abs(normal.data[i * 3 + 2] / 127.5 - 1 - z / length)).toBeLessThan(0.005);
    }
    expect(list).toMatchObject([
      { material: 'Coat: outer/left', values: { color: [0.5, 1, 1], opacity: 0.5, roughness: 0.8, metalness: 1 } },
    ]);
    expect(list[0].files[2].channels).toEqual({ red: 'occlusion', green: 'roughness', blue: 'metalness' });
  });
  it('hold metalness as far as the factor lets it', async () => {
    const { document, coat } = dressed();
    coat.setMetallicFactor(0.5);
    const orm = await opened((await mapsBeside(document, layoutsOf(0), NAMES, images)).files[2].bytes);
    for (let i = 0; i < SIDE * SIDE; i++) expect(orm.data[i * 3 + 2]).toBe(i % 2 ? 128 : 0);
  });
  it('put smoothness in an alpha, and turn green where that is asked for', async () => {
    const { document } = dressed(),
      mask = await opened((await mapsBeside(document, layoutsOf(1), NAMES, images)).files[2].bytes),
      down = await opened((await mapsBeside(document, layoutsOf(2), NAMES, images)).files[1].bytes),
      up = await opened((await mapsBeside(document, layoutsOf(0), NAMES, images)).files[1].bytes);
    for (let i = 0; i < SIDE * SIDE; i++) {
      expect([...mask.data.subarray(i * 4, i * 4 + 4)]).toEqual([
        i % 2 ? 255 : 0,
        Math.round(255 + 0.5 * (200 - i - 255)),
        0,
        255 - Math.round((60 + i) * 0.8),
      ]);
      expect(Math.abs(down.data[i * 3 + 1] + up.data[i * 3 + 1] - 255)).toBeLessThanOrEqual(1);
    }
  });
  it('share a file where materials come to the same, and have none where nothing has a map', async () => {
    const { document, maps, coat } = dressed();
    document.createMaterial('Twin').copy(coat).setName('Twin');
    document.createMaterial('Other').setBaseColorTexture(maps.color).setName('Coat outer left');
    document.createMaterial('Plain').setRoughnessFactor(0.25);
    const { files, list } = await mapsBeside(document, layoutsOf(0), NAMES, images);
    // Two names that come to one letter by letter are told apart.
    expect(files.map((file) => file.path)).toContain('maps/Coat_outer_left_color_2.png');
    expect(list[1].files).toEqual(list[0].files);
    expect(list[3]).toMatchObject({ material: 'Plain', files: [], values: { roughness: 0.25 } });
  });
  it('take a smaller map up to the size of the larger, and leave out one that lies elsewhere, saying so', async () => {
    const { document, coat } = dressed(),
      small = document
        .createTexture('o')
        .setImage(writePng(picture(() => [100, 0, 0, 255], 2)))
        .setMimeType('image/png');
    coat.setOcclusionTexture(small).setOcclusionStrength(1);
    const bent = await opened((await mapsBeside(document, layoutsOf(0), NAMES, images)).files[2].bytes);
    expect([bent.width, bent.data[0], bent.data[3 * 20]]).toEqual([SIDE, 100, 100]);
    coat
      .getOcclusionTextureInfo()
      ?.setExtension(
        'KHR_texture_transform',
        document.createExtension(KHRTextureTransform).createTransform().setScale([2, 2]),
      );
    const { files, findings } = await mapsBeside(document, layoutsOf(0), NAMES, images);
    expect(findings).toMatchObject([{ code: 'textures.other-places', severity: 'warning', where: 'Coat: outer/left' }]);
    const orm = await opened(files[2].bytes);
    expect([orm.data[0], orm.data[1]]).toEqual([255, Math.round(60 * 0.8)]);
  });
  it('refuse a pattern under which materials would overwrite each other, or that leaves its folder', () => {
    const layout = COMMON_LAYOUTS[0].layouts[0];
    for (const name of ['color', '../{material}', 'a/{material}', ''])
      expect(v.is(BesideSchema, { layouts: [{ ...layout, name }] })).toBe(false);
    expect(v.is(BesideSchema, { layouts: [layout], folder: '../x' })).toBe(false);
    expect(v.is(BesideSchema, { layouts: [] })).toBe(false);
  });
});
