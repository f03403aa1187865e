import { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { ProblemError } from '../problem.ts';
import { placeImages, type NewImage } from './replace.ts';
import { isLoose, usedTextures } from '../maps/search.ts';

const image = (path: string, ...bytes: number[]): NewImage => ({
  path,
  bytes: Uint8Array.from([0x89, 0x50, 0x4e, 0x47, ...bytes]),
  mimeType: 'image/png',
});
/** Two materials that share a colour map; one has a normal map. */
function coats() {
  const document = new Document(),
    make = (name: string) =>
      document
        .createTexture(name)
        .setImage(image('', 1).bytes as Uint8Array<ArrayBuffer>)
        .setURI(`maps/${name}.jpg`)
        .setMimeType('image/png');
  const shared = make('coat_base'),
    normal = make('coat_normal');
  const a = document.createMaterial('Coat').setBaseColorTexture(shared).setNormalTexture(normal),
    b = document.createMaterial('Hood').setBaseColorTexture(shared);
  return { document, a, b, shared, normal };
}

describe('images brought in again', () => {
  it('take the place of the one of their name once, wherever it is used, case and ending aside', () => {
    const { document, a, b, shared, normal } = coats();
    const out = placeImages(document, [image('work/COAT_BASE.png', 7)]);
    expect(out.replaced).toEqual([
      {
        file: 'COAT_BASE.png',
        texture: 'coat_base',
        uses: [
          { material: 'Coat', channel: 'baseColor' },
          { material: 'Hood', channel: 'baseColor' },
        ],
      },
    ]);
    expect([a.getBaseColorTexture(), b.getBaseColorTexture()]).toEqual([shared, shared]);
    expect(shared.getImage()?.[4]).toBe(7);
    expect([shared.getURI(), shared.getMimeType(), normal.getImage()?.[4]]).toEqual([
      'maps/coat_base.png',
      'image/png',
      1,
    ]);
  });
  it('that are the same change nothing and say so', () => {
    expect(placeImages(coats().document, [image('coat_base.png', 1)])).toEqual({
      replaced: [],
      placed: [],
      same: ['coat_base.png'],
      loose: [],
    });
  });
  it('go onto the slot they are dropped on: a gap is filled, a shared map changes everywhere', () => {
    const { document, b, shared } = coats();
    expect(placeImages(document, [image('any.png', 5)], { material: 'Hood', channel: 'occlusion' }).placed).toEqual([
      { material: 'Hood', channel: 'occlusion', file: 'any.png' },
    ]);
    expect(b.getOcclusionTexture()?.getImage()?.[4]).toBe(5);
    expect(
      placeImages(document, [image('other.png', 6)], { material: 'Hood', channel: 'baseColor' }).replaced[0].uses,
    ).toHaveLength(2);
    expect(shared.getImage()?.[4]).toBe(6);
  });
  it('find the materials whose colour map they are named like, and wait where they fit nowhere', () => {
    const { document, a } = coats();
    const out = placeImages(document, [image('coat_roughness.png', 3), image('weather.png', 4)]);
    expect(out.placed).toEqual(
      ['Coat', 'Hood'].map((material) => ({ material, channel: 'roughness', file: 'coat_roughness.png' })),
    );
    expect(a.getMetallicRoughnessTexture()?.getImage()?.[4]).toBe(3);
    expect(out.loose).toEqual(['weather.png']);
    expect(
      document
        .getRoot()
        .listTextures()
        .filter(isLoose)
        .map((texture) => texture.getName()),
    ).toEqual(['weather']);
    expect(usedTextures(document)).toHaveLength(3);
  });
  it('are refused where several are dropped on one place', () => {
    expect(() =>
      placeImages(coats().document, [image('a.png', 1), image('b.png', 2)], { material: 'Hood', channel: 'normal' }),
    ).toThrow(/2 arrived/);
  });
  it('are refused with a sentence where the material has gone', () => {
    expect(() => placeImages(coats().document, [image('a.png', 1)], { material: 'Gone', channel: 'normal' })).toThrow(
      ProblemError,
    );
  });
});
