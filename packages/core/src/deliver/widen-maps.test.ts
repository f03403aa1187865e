import { Document } from '@gltf-transform/core';
import sharp from 'sharp';
import { describe, expect, it } from 'vitest';
import { writePng } from '../formats/index.ts';
import { addOperation, type Pixels } from '../pixels/index.ts';
import { averagedNormals, widenMaps } from './widen-maps.ts';

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
    await widenMaps(averagedNormals(document), images);
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
    await widenMaps([{ surface, normals: normal.getImage() as Uint8Array }], images);
    expect(surface.getImage()).toEqual(Uint8Array.of(1, 2, 3));
    expect(averagedNormals(document)).toEqual([]);
  });
});
