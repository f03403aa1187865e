import { ownOf } from '../character/index.ts';
import { describe, expect, it } from 'vitest';
import { Document } from '@gltf-transform/core';
import { SHIPPED_TARGETS } from '../targets/index.ts';
import { testContext } from '../testing/context.ts';
import { findMapsStep } from '../textures/find-step.ts';
import { imageName } from './naming.ts';
import { operationsOf } from '../pixels/operations.ts';
import { findMaps, isLoose, markLoose, usedTextures } from './search.ts';

describe('imageName', () => {
  it.each([
    ['Deckhand_Head_1001_Nrm_2k.png', ['deckhand', 'head'], 'normal', 1001],
    ['maps/skin-BaseColor.jpg', ['skin'], 'baseColor', null],
    ['T_Coat_ORM.png', ['t', 'coat'], 'orm', null],
    ['coat_d.tga', ['coat'], 'baseColor', null],
    ['Normal_Boots.png', ['boots'], 'normal', null],
    ['jacket ambient occlusion.png', ['jacket'], 'occlusion', null],
    ['vest_Glossiness_4096.png', ['vest'], 'gloss', null],
    ['hairAlpha.png', ['hair'], 'opacity', null],
    ['portrait.png', ['portrait'], null, null],
    ['d.png', ['d'], null, null],
  ])('takes %s apart', (file, base, channel, tile) => {
    expect(imageName(file)).toEqual({ base, channel, tile });
  });
});

/** A document with materials that name colour maps, and loose images beside it. */
function arrival(materials: Record<string, string | null>, files: string[]): Document {
  const document = new Document();
  const image = Uint8Array.of(0x89, 0x50, 0x4e, 0x47);
  for (const [name, color] of Object.entries(materials)) {
    const material = document.createMaterial(name);
    if (color)
      material.setBaseColorTexture(
        document.createTexture(color).setImage(image).setMimeType('image/png').setURI(color),
      );
  }
  for (const file of files)
    markLoose(
      document
        .createTexture(file.replace(/^.*\//, '').replace(/\.\w+$/, ''))
        .setImage(image)
        .setMimeType('image/png')
        .setURI(file),
    );
  return document;
}
const run = (document: Document, slots = {}) =>
  findMapsStep.run(document, { slots }, SHIPPED_TARGETS[0], testContext());

describe('findMaps', () => {
  it('puts siblings of the colour map where they belong, in whatever habit they are named', () => {
    const document = arrival({ Skin: 'a_head_color.jpg', Coat: 'a_coat_diff.jpg' }, [
      'maps/A_Head_Normal.png',
      'maps/a_head_rough.png',
      'maps/a_coat_nrm.png',
      'maps/a_coat_ao.png',
      'maps/landscape.png',
    ]);
    expect(findMaps(document).map((map) => [map.file, map.material.getName(), map.channel, map.confidence])).toEqual([
      ['maps/A_Head_Normal.png', 'Skin', 'normal', 1],
      ['maps/a_head_rough.png', 'Skin', 'roughness', 1],
      ['maps/a_coat_nrm.png', 'Coat', 'normal', 1],
      ['maps/a_coat_ao.png', 'Coat', 'occlusion', 1],
    ]);
  });
  it('goes by the words of the material where there is no colour map, and not where two fit as well', () => {
    expect(findMaps(arrival({ Boots_Rubber: null }, ['boots_rubber_basecolor.png'])).map((map) => map.channel)).toEqual(
      ['baseColor'],
    );
    expect(findMaps(arrival({ Boots_Rubber: null }, ['boots_rubber_color.png', 'rubber_boots_color.png']))).toEqual([]);
    expect(findMaps(arrival({ Boots_Rubber: null }, ['hair_color.png']))).toEqual([]);
  });
  it('leaves a slot that has a map alone', () => {
    expect(findMaps(arrival({ Skin: 'head_color.png' }, ['head_albedo.png']))).toEqual([]);
  });
});

describe('intake.find-maps', () => {
  it('fills the slots, says why, and leaves loose what fits nowhere', async () => {
    const document = arrival({ Skin: 'head_color.png', Coat: 'coat_color.png' }, [
      'head_gloss.png',
      'coat_orm.png',
      'coat_height.png',
      'cat.png',
    ]);
    const { measures, findings } = await run(document);
    const [skin, coat] = document.getRoot().listMaterials();
    expect(operationsOf(skin.getMetallicRoughnessTexture() as never)).toEqual([{ op: 'invert' }]);
    expect([skin.getMetallicFactor(), skin.getRoughnessFactor()]).toEqual([0, 1]);
    expect(coat.getMetallicRoughnessTexture()).toBe(coat.getOcclusionTexture());
    expect(ownOf(coat, 'maps')).toEqual({ height: 'coat_height' });
    expect(measures.map((measure) => measure.result)).toEqual([3, 2]);
    expect(findings.filter((finding) => finding.code === 'textures.found')).toHaveLength(3);
    expect(usedTextures(document).length + document.getRoot().listTextures().filter(isLoose).length).toBe(
      document.getRoot().listTextures().length,
    );
  });
  it("does as it was told by hand, and says so where it can't", async () => {
    const document = arrival({ Skin: 'head_color.png' }, ['head_normal.png', 'other_normal.png']);
    const { findings } = await run(document, {
      Skin: { normal: 'other_normal.png' },
      Nobody: { normal: 'head_normal.png' },
    });
    expect(document.getRoot().listMaterials()[0].getNormalTexture()?.getURI()).toBe('other_normal.png');
    expect(findings.find((finding) => finding.code === 'textures.not-there')?.message).toMatch(/no such material/);
    const empty = arrival({ Skin: 'head_color.png' }, ['head_normal.png']);
    await run(empty, { Skin: { normal: '' } });
    expect(empty.getRoot().listMaterials()[0].getNormalTexture()).toBeNull();
  });
});
