import { Document } from '@gltf-transform/core';
import sharp from 'sharp';
import { describe, expect, it } from 'vitest';
import { sharpCodec } from '@dimetra/platform';
import { writePng } from '../formats/index.ts';
import { addOperation, imageError, type ImageOperation, type Pixels } from '../pixels/index.ts';
import { testContext } from '../testing/context.ts';
import { writeMaps } from './write-maps.ts';
import { averagedNormals, widenMap } from './widen-maps.ts';

const images = {
  decode: async (bytes: Uint8Array): Promise<Pixels> => {
    const { data, info } = await sharp(bytes).ensureAlpha().raw().toBuffer({ resolveWithObject: true });
    return { width: info.width, height: info.height, data: new Uint8Array(data) };
  },
  apply: async (bytes: Uint8Array) => ({ bytes, mimeType: 'image/png' as const }),
  encode: async (pixels: Pixels) => writePng(pixels),
};
const picture = (side: number, of: (i: number) => number[]) => {
  const data = new Uint8Array(side * side * 4);
  for (let i = 0; i < side * side; i++) data.set(of(i), i * 4);
  return writePng({ width: side, height: side, data });
};
const smaller = { op: 'resize', width: 8, height: 8, content: 'normal' } as const;
function dressed() {
  const document = new Document(),
    normal = document
      .createTexture('n')
      .setImage(picture(32, (i) => [i % 2 ? 190 : 65, 128, 230, 255]))
      .setMimeType('image/png'),
    surface = document
      .createTexture('s')
      .setImage(picture(8, () => [255, 60, 0, 255]))
      .setMimeType('image/png');
  document.createMaterial('Coat').setNormalTexture(normal).setMetallicRoughnessTexture(surface);
  return { document, normal, surface };
}
const green = async (bytes: Uint8Array | null) =>
  (
    await sharp(bytes as Uint8Array)
      .raw()
      .toBuffer()
  )[1];

describe('surface maps beside normals that are made smaller', () => {
  it('are widened by what those lose', async () => {
    const { document, normal, surface } = dressed();
    addOperation(normal, smaller);
    for (const pair of averagedNormals(document)) expect(await widenMap(pair, images)).toBe(true);
    expect(await green(surface.getImage())).toBeGreaterThan(120);
  });
  it('are left where normals stay, where wearers differ, and where places do', async () => {
    const still = dressed();
    expect(averagedNormals(still.document)).toEqual([]);
    const two = dressed();
    addOperation(two.normal, smaller);
    two.document.createMaterial('Other').setMetallicRoughnessTexture(two.surface);
    expect(averagedNormals(two.document)).toEqual([]);
    const apart = dressed();
    addOperation(apart.normal, smaller);
    apart.document.getRoot().listMaterials()[0].getNormalTextureInfo()?.setTexCoord(1);
    expect(averagedNormals(apart.document)).toEqual([]);
    const tiny = dressed();
    addOperation(tiny.normal, { ...smaller, width: 16, height: 16 });
    expect(averagedNormals(tiny.document)).toEqual([]);
  });
  it('stay as they are where they cannot be read', async () => {
    const { document, normal, surface } = dressed();
    addOperation(normal, smaller);
    surface.setImage(Uint8Array.of(1, 2, 3));
    expect(await widenMap({ surface, normals: normal.getImage() as Uint8Array }, images)).toBe(false);
    expect(surface.getImage()).toEqual(Uint8Array.of(1, 2, 3));
    expect(averagedNormals(document)).toEqual([]);
  });
});

describe('maps that are widened, written in their format', () => {
  const context = { ...testContext(), images: sharpCodec };
  const jpeg = async () =>
    new Uint8Array(
      await sharp(
        Uint8Array.from({ length: 8 * 8 * 3 }, (_, i) => [255, 40 + (i % 97), 0][i % 3]),
        {
          raw: { width: 8, height: 8, channels: 3 },
        },
      )
        .jpeg({ quality: 95 })
        .toBuffer(),
    );
  /** A surface map that arrived as JPEG, beside normals that are made smaller or stay. */
  async function written(normalsShrink: boolean, encode?: ImageOperation) {
    const { document, normal, surface } = dressed(),
      arrived = await jpeg();
    surface.setImage(arrived).setMimeType('image/jpeg').setURI('s.jpg');
    if (normalsShrink) addOperation(normal, smaller);
    if (encode) addOperation(surface, encode);
    const [averaged] = averagedNormals(document),
      wanted = new Document().createTexture().setImage(arrived);
    if (averaged) await widenMap({ ...averaged, surface: wanted }, sharpCodec);
    expect(await writeMaps(document, context)).toEqual([]);
    return { surface, arrived, wanted };
  }
  it('lose once what their format loses: to what the target allows, not to the format and then again', async () => {
    const { surface, wanted } = await written(true, {
      op: 'encode',
      mimeType: 'image/webp',
      quality: 98,
      maxError: 2,
      content: 'data',
    });
    expect([surface.getMimeType(), surface.getURI()]).toEqual(['image/webp', 's.webp']);
    const error = imageError(
      await sharpCodec.decode(wanted.getImage() as Uint8Array),
      await sharpCodec.decode(surface.getImage() as Uint8Array),
      'data',
    );
    expect(error).toBeGreaterThan(0);
    expect(error).toBeLessThanOrEqual(2);
  });
  it('keep their own format where nothing else is said', async () => {
    const { surface, arrived } = await written(true);
    expect([surface.getMimeType(), surface.getURI()]).toEqual(['image/jpeg', 's.jpg']);
    expect((await sharp(surface.getImage() as Uint8Array).metadata()).format).toBe('jpeg');
    expect(surface.getImage()).not.toEqual(arrived);
  });
  it('are the bytes that arrived where nothing widens them', async () => {
    const { surface, arrived } = await written(false);
    expect(surface.getImage()).toEqual(arrived);
  });
});
