import { Document, type Texture } from '@gltf-transform/core';
import type { Anisotropy, Clearcoat, IOR, Sheen, Specular } from '@gltf-transform/extensions';
import sharp from 'sharp';
import { describe, expect, it } from 'vitest';
import * as v from 'valibot';
import { ownOf } from '../character/index.ts';
import { writePng } from '../formats/index.ts';
import { LINEAR, type Pixels } from '../pixels/index.ts';
import { SHIPPED_TARGETS } from '../targets/index.ts';
import { testContext } from '../testing/context.ts';
import { treatStep } from './treat-step.ts';
import { parseTreatment, SHIPPED_TREATMENTS, treatmentFor } from './treatment.ts';

const pixelsOf = async (texture: Texture | null): Promise<Uint8Array> =>
  new Uint8Array(
    await sharp(texture?.getImage() as Uint8Array)
      .ensureAlpha()
      .raw()
      .toBuffer(),
  );
const images = {
  decode: async (bytes: Uint8Array): Promise<Pixels> => {
    const { data, info } = await sharp(bytes).ensureAlpha().raw().toBuffer({ resolveWithObject: true });
    return { width: info.width, height: info.height, data: new Uint8Array(data) };
  },
  apply: async (bytes: Uint8Array) => ({ bytes, mimeType: 'image/png' as const }),
};
const picture = (of: (i: number) => number[]): Uint8Array<ArrayBuffer> => {
  const data = new Uint8Array(256);
  for (let i = 0; i < 64; i++) data.set(of(i), i * 4);
  return writePng({ width: 8, height: 8, data });
};
function dressed(name: string, maps: { color?: (i: number) => number[]; surface?: (i: number) => number[] } = {}) {
  const document = new Document(),
    material = document.createMaterial(name).setMetallicFactor(0),
    texture = (file: string, of: (i: number) => number[]) =>
      document.createTexture(file).setImage(picture(of)).setMimeType('image/png').setURI(`${file}.png`);
  if (maps.color) material.setBaseColorTexture(texture('color', maps.color));
  if (maps.surface) material.setMetallicRoughnessTexture(texture('surface', maps.surface));
  return { document, material };
}
const run = async (document: Document, settings: object = {}) =>
  treatStep.run(document, v.parse(treatStep.settings, settings), SHIPPED_TARGETS[0], { ...testContext(), images });
const own = (channels: object, id = 'mine') => ({
  own: [parseTreatment({ schema: 1, id, title: 'Mine', channels })],
  worn: { Coat: id },
});

describe('treatments of hair', () => {
  it('keep by name what glTF has no place for, and nothing else of it changes', async () => {
    const { document, material } = dressed('Coat', { color: (i) => [i, i, i, 255] });
    await run(
      document,
      own({ secondHighlight: { strength: 0.4, color: [1, 0.5, 0] }, lightThrough: { strength: 0.3 } }),
    );
    const beyond = ownOf(material, 'beyond');
    expect(beyond).toMatchObject({ second_highlight: 0.4, second_highlight_degrees: 8, light_through: 0.3 });
    expect(beyond?.second_highlight_color).toEqual([1, LINEAR[128], 0]);
    expect(material.listExtensions()).toEqual([]);
    // Another treatment that says one of them leaves the other.
    await run(document, own({ lightThrough: { strength: 0.9 } }));
    expect(ownOf(material, 'beyond')).toMatchObject({ second_highlight: 0.4, light_through: 0.9 });
  });

  const alongV = (i: number) => [(i % 8) & 2 ? 200 : 40, 80, 60, 255];
  it('turn highlights across the strands of the map, where these run one way', async () => {
    const { document, material } = dressed('Coat', { color: alongV });
    await run(document, own({ anisotropy: { strength: 0.6, acrossStrands: true } }));
    const brushed = material.getExtension<Anisotropy>('KHR_materials_anisotropy');
    expect(brushed?.getAnisotropyStrength()).toBe(0.6);
    // Strands along v: across them is along u, which half a turn leaves as it is.
    expect(Math.abs(Math.sin(brushed?.getAnisotropyRotation() ?? 1))).toBeLessThan(0.02);
    // Half of it one way, half the other.
    const noise = dressed('Coat', { color: (i) => (i < 32 ? alongV(i) : [(i >> 3) & 2 ? 200 : 40, 80, 60, 255]) });
    await run(noise.document, own({ anisotropy: { strength: 0.6, acrossStrands: true } }));
    expect(noise.material.getExtension('KHR_materials_anisotropy')).toBeNull();
  });
});

describe('treatments', () => {
  it('hold roughness within bounds, texel by texel, and leave everything else to the last bit', async () => {
    const { document, material } = dressed('Jacket_Cloth', { surface: (i) => [255 - i, i * 4, 7, 255] });
    material.setRoughnessFactor(0.5).setOcclusionTexture(material.getMetallicRoughnessTexture());
    const { findings } = await run(document),
      after = await pixelsOf(material.getMetallicRoughnessTexture());
    for (let i = 0; i < 64; i++)
      expect([...after.subarray(i * 4, i * 4 + 4)]).toEqual([
        255 - i,
        Math.round(Math.max(0.5, (i * 4 * 0.5) / 255) * 255),
        7,
        255,
      ]);
    expect(material.getRoughnessFactor()).toBe(1);
    // One image serves both still, and what it was made of is gone.
    expect(material.getOcclusionTexture()).toBe(material.getMetallicRoughnessTexture());
    expect(document.getRoot().listTextures()).toHaveLength(1);
    expect(findings).toMatchObject([
      { code: 'materials.treated', where: 'Jacket_Cloth', names: { treatment: 'cloth' } },
    ]);
  });
  it('leave alone what is within them, and do by a factor what a factor can', async () => {
    const { document, material } = dressed('Jacket_Cloth', { surface: (i) => [255, 180 + (i % 40), 0, 255] }),
      before = material.getMetallicRoughnessTexture();
    expect((await run(document)).findings).toEqual([]);
    expect(material.getMetallicRoughnessTexture()).toBe(before);
    const plain = dressed('Brows');
    plain.material.setRoughnessFactor(0.2);
    await run(plain.document);
    expect(plain.material.getRoughnessFactor()).toBe(0.75);
    expect(plain.material.getExtension<Specular>('KHR_materials_specular')?.getSpecularFactor()).toBe(0.3);
    const metal = dressed('Skin_Face', { surface: () => [255, 128, 255, 255] });
    metal.material.setMetallicFactor(1);
    await run(metal.document);
    expect([metal.material.getMetallicFactor(), metal.material.getMetallicRoughnessTexture()?.getURI()]).toEqual([
      0,
      'surface.png',
    ]);
  });
  it('tint a map so that its mean is the colour asked for and its strands keep their light', async () => {
    const { document, material } = dressed('Coat', { color: (i) => [40 + i, 30 + i, 20 + i, i % 3 ? 255 : 0] });
    await run(document, own({ color: { tint: [0.4, 0.2, 0.1] } }));
    const after = await pixelsOf(material.getBaseColorTexture());
    const light = (data: Uint8Array, i: number) =>
      0.2126 * LINEAR[data[i * 4]] + 0.7152 * LINEAR[data[i * 4 + 1]] + 0.0722 * LINEAR[data[i * 4 + 2]];
    const wanted = [0.4, 0.2, 0.1].map((value) => LINEAR[Math.round(value * 255)]),
      before = new Uint8Array(256);
    for (let i = 0; i < 64; i++) before.set([40 + i, 30 + i, 20 + i, i % 3 ? 255 : 0], i * 4);
    const mean = [0, 0, 0];
    let seen = 0;
    for (let i = 0; i < 64; i++) {
      expect(after[i * 4 + 3]).toBe(before[i * 4 + 3]);
      if (!after[i * 4 + 3]) continue;
      seen++;
      for (let k = 0; k < 3; k++) mean[k] += LINEAR[after[i * 4 + k]];
    }
    mean.forEach((sum, k) => expect(sum / seen).toBeCloseTo(wanted[k], 2));
    // Twice as light stays twice as light.
    expect(light(after, 62) / light(after, 1)).toBeCloseTo(light(before, 62) / light(before, 1), 0);
  });
  it('set what extensions carry, and change of one that is there only what is said', async () => {
    const { document, material } = dressed('Coat');
    await run(
      document,
      own({
        ior: 1.38,
        clearcoat: { strength: 0.6, roughness: 0.1 },
        sheen: { color: [1, 0.5, 0], roughness: 0.4 },
        anisotropy: { strength: 0.7, degrees: 90 },
        specular: { strength: 0.5 },
      }),
    );
    expect(material.getExtension<IOR>('KHR_materials_ior')?.getIOR()).toBe(1.38);
    expect(material.getExtension<Clearcoat>('KHR_materials_clearcoat')?.getClearcoatFactor()).toBe(0.6);
    expect(material.getExtension<Sheen>('KHR_materials_sheen')?.getSheenColorFactor()[1]).toBeCloseTo(LINEAR[128], 6);
    expect(material.getExtension<Anisotropy>('KHR_materials_anisotropy')?.getAnisotropyRotation()).toBeCloseTo(
      Math.PI / 2,
      6,
    );
    material.getExtension<Specular>('KHR_materials_specular')?.setSpecularColorFactor([1, 0, 0]);
    await run(document, own({ specular: { strength: 0.1 } }));
    const specular = material.getExtension<Specular>('KHR_materials_specular');
    expect([specular?.getSpecularFactor(), specular?.getSpecularColorFactor()]).toEqual([0.1, [1, 0, 0]]);
  });
  it('come by kind unless something else is said, and none where that is said', async () => {
    const shiny = () => {
      const made = dressed('Jacket_Cloth');
      made.material.setRoughnessFactor(0.1);
      return made;
    };
    const roughness = async (settings: object) => {
      const { document, material } = shiny();
      await run(document, settings);
      return material.getRoughnessFactor();
    };
    expect(await roughness({})).toBe(0.5);
    expect(await roughness({ byKind: false })).toBe(0.1);
    expect(await roughness({ worn: { Jacket_Cloth: 'none' } })).toBe(0.1);
    expect(await roughness({ worn: { Jacket_Cloth: 'eye' }, byKind: false })).toBe(0.1);
    // One's own with a shipped one's name takes its place.
    const wet = parseTreatment({
      schema: 1,
      id: 'cloth',
      title: 'Wet',
      kinds: ['cloth'],
      channels: { roughness: { most: 0.05 } },
    });
    expect(await roughness({ own: [wet] })).toBe(0.05);
    const { document } = shiny(),
      { findings } = await run(document, { worn: { Jacket_Cloth: 'gone' } });
    expect(findings).toMatchObject([{ code: 'materials.no-treatment', severity: 'warning', where: 'Jacket_Cloth' }]);
  });
  it('that ship are for each kind once, hold nothing the wrong way, and go out and come in as JSON', () => {
    const kinds = SHIPPED_TREATMENTS.flatMap((treatment) => treatment.kinds);
    expect(new Set(kinds).size).toBe(kinds.length);
    expect(treatmentFor('metal')).toBeNull();
    for (const treatment of SHIPPED_TREATMENTS) {
      const { roughness } = treatment.channels;
      expect(roughness?.least ?? 0).toBeLessThanOrEqual(roughness?.most ?? 1);
      expect(parseTreatment(JSON.parse(JSON.stringify(treatment)))).toEqual(treatment);
    }
    for (const [wrong, where] of [
      [{ ...SHIPPED_TREATMENTS[0], channels: { roughness: { least: 2 } } }, 'channels.roughness.least'],
      [{ ...SHIPPED_TREATMENTS[0], id: '../x' }, 'id'],
      [{ schema: 2 }, 'schema'],
    ] as const)
      expect(() => parseTreatment(wrong)).toThrow(where);
  });
});
