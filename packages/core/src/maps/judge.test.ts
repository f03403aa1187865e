import { keepOwn, ownOf } from '../character/index.ts';
import { describe, expect, it } from 'vitest';
import { Document, type Texture } from '@gltf-transform/core';
import { KHRMaterialsPBRSpecularGlossiness, type Specular } from '@gltf-transform/extensions';
import sharp from 'sharp';
import { LINEAR } from '../pixels/index.ts';
import { seededRandom } from '../geometry/index.ts';
import { channelsStep } from '../materials/index.ts';
import { SHIPPED_TARGETS } from '../targets/index.ts';
import { testContext } from '../testing/context.ts';
import { findMapFaults } from './judge.ts';
import { judgeGreen } from './reading/index.ts';
import {
  encodedCurve,
  inverted,
  normalsFromHeight,
  recoded,
  withAlpha,
  type ImageCodec,
  type Pixels,
} from '../pixels/index.ts';

/** Hills of a few sizes, seeded. */
function hills(size: number, seed: number): Pixels {
  const random = seededRandom(seed),
    waves = Array.from({ length: 6 }, () => [random() * 0.4, random() * 0.4, random() * 6]),
    data = new Uint8Array(size * size * 4);
  for (let y = 0; y < size; y++)
    for (let x = 0; x < size; x++) {
      const h = waves.reduce((sum, [a, b, c]) => sum + Math.sin(x * a + y * b + c), 0) / 12 + 0.5,
        o = (y * size + x) * 4;
      data.fill(Math.round(h * 255), o, o + 3);
      data[o + 3] = 255;
    }
  return { width: size, height: size, data };
}
const flat = (value: number): Pixels => ({
  width: 8,
  height: 8,
  data: new Uint8Array(256).map((_, i) => (i % 4 === 3 ? 255 : value)),
});
/** Occlusion full, no metal, roughness about a value. */
const surface = (value: number): Pixels => ({
  width: 16,
  height: 16,
  data: new Uint8Array(1024).map((_, i) => [255, value + ((i >> 2) % 5) - 2, 0, 255][i & 3]),
});
/** Images by their first byte. */
const codec = (shelf: Pixels[]): ImageCodec => ({
  decode: async (bytes) => shelf[bytes[0]] ?? Promise.reject(new Error('no such image')),
  apply: async (bytes) => ({ bytes, mimeType: 'image/png' }),
});

describe('judgeGreen', () => {
  it.each([1, 2, 3, 4, 5])('tells which way green points, hills %i', (seed) => {
    const up = normalsFromHeight(hills(64, seed), 6);
    expect(judgeGreen(up).points).toBe('up');
    expect(judgeGreen(inverted(up, [1])).points).toBe('down');
    expect(judgeGreen(up).ratio).toBeGreaterThan(4);
  });
  it('says nothing of a flat map', () => {
    expect(judgeGreen(flat(128)).points).toBe('unclear');
  });
});

describe('pixels', () => {
  it('a slope that rises to the right leans to the left, one that rises downwards leans up', () => {
    const ramp = (of: (x: number, y: number) => number): Pixels => ({
      width: 16,
      height: 16,
      data: new Uint8Array(1024).map((_, i) => (i % 4 === 3 ? 255 : of((i >> 2) % 16, i >> 6))),
    });
    const at = (pixels: Pixels, channel: number) => pixels.data[(8 * 16 + 8) * 4 + channel];
    expect(
      at(
        normalsFromHeight(
          ramp((x) => x * 8),
          8,
        ),
        0,
      ),
    ).toBeLessThan(120);
    expect(
      at(
        normalsFromHeight(
          ramp((_, y) => y * 8),
          8,
        ),
        1,
      ),
    ).toBeGreaterThan(134);
    const still = normalsFromHeight(flat(90), 4);
    expect([still.data[0], still.data[2]]).toEqual([128, 255]);
  });
  it('inverts twice to what it was, and takes alpha from another size', () => {
    const some = hills(16, 2);
    expect(inverted(inverted(some, [0, 1, 2]), [0, 1, 2]).data).toEqual(some.data);
    expect(withAlpha(flat(10), { ...flat(77), width: 4, height: 4, data: new Uint8Array(64).fill(77) }).data[3]).toBe(
      77,
    );
  });
});

/** Red, green, blue and alpha of a file's first texel, by libvips. */
const firstTexel = async (bytes: Uint8Array): Promise<number[]> => [
  ...(await sharp(bytes).ensureAlpha().raw().toBuffer()).subarray(0, 4),
];

describe('findMapFaults and materials.channels', () => {
  const figure = (
    maps: { normal?: number; rough?: number; extras?: Record<string, string>; colour?: number }[],
    shelf: Pixels[],
  ) => {
    const document = new Document(),
      textures = shelf.map((_, i) =>
        document.createTexture(`map${i}`).setImage(Uint8Array.of(i)).setMimeType('image/png').setURI(`map${i}.png`),
      );
    maps.forEach((map, i) => {
      const material = document.createMaterial(`Jacket_Cloth_${i}`);
      if (map.normal !== undefined) material.setNormalTexture(textures[map.normal]);
      if (map.rough !== undefined) material.setMetallicRoughnessTexture(textures[map.rough]);
      if (map.colour !== undefined) material.setBaseColorTexture(textures[map.colour]);
      if (map.extras) keepOwn(material, 'maps', map.extras);
    });
    return { document, context: { ...testContext(), images: codec(shelf) } };
  };
  const run = (made: ReturnType<typeof figure>, settings = {}) =>
    channelsStep.run(
      made.document,
      { green: 'found', gloss: 'found', bumpMm: 1, decided: {}, ...settings } as never,
      SHIPPED_TARGETS[0],
      made.context,
    );
  it('finds green that points down and gloss that lies where roughness belongs, and nothing where all is right', async () => {
    const up = normalsFromHeight(hills(64, 1), 6),
      right = figure([{ normal: 0, rough: 1 }], [up, surface(215)]),
      wrong = figure(
        [{ normal: 0, rough: 1 }, { rough: 2 }, { rough: 3 }],
        [inverted(up, [1]), surface(40), surface(50), surface(30)],
      );
    expect(await findMapFaults(right.document, right.context.images)).toEqual([]);
    expect((await findMapFaults(wrong.document, wrong.context.images)).map((fault) => fault.code)).toEqual([
      'textures.green-down',
      ...Array(3).fill('textures.gloss-as-roughness'),
    ]);
  });
  it("asks where only one or two maps look like gloss, or the set doesn't agree", async () => {
    for (const shelf of [
      [surface(40)],
      [surface(40), surface(45)],
      [surface(30), surface(30), surface(30), surface(190), surface(200)],
    ]) {
      const made = figure(
          shelf.map((_, rough) => ({ rough })),
          shelf,
        ),
        faults = await findMapFaults(made.document, made.context.images);
      expect(faults.map((fault) => fault.sure)).toEqual(Array(Math.min(3, shelf.length)).fill(false));
      const { measures, findings } = await run(made);
      expect([
        measures[0].result,
        findings.every(
          (finding) => finding.severity === 'warning' && /may hold gloss.*not enough/.test(finding.message),
        ),
      ]).toEqual([0, true]);
      expect(
        (
          await run(
            figure(
              shelf.map((_, rough) => ({ rough })),
              shelf,
            ),
            { gloss: 'invert' },
          )
        ).measures[0].result,
      ).toBe(faults.length);
    }
  });
  it('mends both, or leaves what it is told to leave', async () => {
    const shelf = [inverted(normalsFromHeight(hills(64, 1), 6), [1]), surface(40), surface(50), surface(30)],
      maps = [{ normal: 0, rough: 1 }, { rough: 2 }, { rough: 3 }],
      made = figure(maps, shelf);
    expect((await run(made)).measures[0].result).toBe(4);
    expect(made.document.getRoot().listMaterials()[0].getNormalTexture()?.getURI()).toBe('map0_green-up.png');
    expect(made.document.getRoot().listTextures().length).toBe(4);
    const kept = figure(maps, shelf);
    expect((await run(kept, { green: 'keep', gloss: 'keep' })).measures[0].result).toBe(0);
  });
  it('makes roughness of gloss, normals of bumps, alpha of opacity, each image once', async () => {
    const made = figure(
      [
        { colour: 2, extras: { shininess: 'map0', bump: 'map1', opacity: 'map3' } },
        { colour: 2, extras: { shininess: 'map0', bump: 'map1' } },
      ],
      [flat(200), hills(16, 3), hills(16, 4), flat(60)],
    );
    expect((await run(made)).measures[1].result).toBe(5);
    const [first, second] = made.document.getRoot().listMaterials();
    expect(first.getMetallicRoughnessTexture()).toBe(second.getMetallicRoughnessTexture());
    expect(first.getNormalTexture()).toBe(second.getNormalTexture());
    expect(first.getBaseColorTexture()?.getURI()).toBe('map2_with_map3.png');
    expect(first.getExtras()).toEqual({});
  });
  it('packs separate roughness and metalness into green and blue, and lets a factor speak where there is no map', async () => {
    const made = figure(
        [
          { extras: { roughness: 'map0', metallic: 'map1' } },
          { extras: { roughness: 'map0' } },
          { extras: { roughness: 'map0' } },
          { extras: { metallic: 'map1' } },
        ],
        [flat(80), flat(200)],
      ),
      materials = made.document.getRoot().listMaterials();
    materials[0].setMetallicFactor(0);
    materials[1].setMetallicFactor(0);
    materials[2].setMetallicFactor(0.5);
    materials[3].setMetallicFactor(0).setRoughnessFactor(0.3);
    await run(made);
    const texel = async (material: (typeof materials)[number]) => {
      const image = material.getMetallicRoughnessTexture()?.getImage() as Uint8Array;
      return image.length === 1 ? 'as it came' : await firstTexel(image);
    };
    expect([await texel(materials[0]), materials[0].getRoughnessFactor(), materials[0].getMetallicFactor()]).toEqual([
      [255, 80, 200, 255],
      1,
      1,
    ]);
    // With no metalness the grey map's blue is never read; half a factor would read it, so it is made full.
    expect([await texel(materials[1]), materials[1].getMetallicFactor()]).toEqual(['as it came', 0]);
    expect([await texel(materials[2]), materials[2].getMetallicFactor()]).toEqual([[255, 80, 255, 255], 0.5]);
    expect([await texel(materials[3]), materials[3].getRoughnessFactor(), materials[3].getMetallicFactor()]).toEqual([
      [255, 255, 200, 255],
      0.3,
      1,
    ]);
  });
  it('converts specular–glossiness, maps too, once for materials that share them, and says so', async () => {
    const pair: Pixels[] = [flat(188), { width: 1, height: 1, data: Uint8Array.of(0, 0, 0, 51) }],
      made = figure([{}, {}, {}], pair),
      extension = made.document.createExtension(KHRMaterialsPBRSpecularGlossiness),
      textures = made.document.getRoot().listTextures();
    const materials = made.document.getRoot().listMaterials();
    for (const material of materials.slice(0, 2))
      material.setExtension(
        'KHR_materials_pbrSpecularGlossiness',
        extension
          .createPBRSpecularGlossiness()
          .setDiffuseTexture(textures[0])
          .setSpecularGlossinessTexture(textures[1]),
      );
    materials[2].setExtension(
      'KHR_materials_pbrSpecularGlossiness',
      extension
        .createPBRSpecularGlossiness()
        .setDiffuseFactor([0, 0, 0, 1])
        .setSpecularFactor([1, 1, 1])
        .setGlossinessFactor(0.9),
    );
    const { findings } = await run(made);
    expect(findings.filter((finding) => finding.code === 'materials.specular-glossiness')).toHaveLength(3);
    const [first, second, chrome] = materials,
      image = (texture: Texture | null) => firstTexel(texture?.getImage() as Uint8Array);
    expect([await image(first.getBaseColorTexture()), await image(first.getMetallicRoughnessTexture())]).toEqual([
      [191, 191, 191, 255],
      [255, 204, 0, 255],
    ]);
    expect(second.getMetallicRoughnessTexture()).toBe(first.getMetallicRoughnessTexture());
    expect(materials.every((material) => !material.getExtension('KHR_materials_pbrSpecularGlossiness'))).toBe(true);
    expect([chrome.getMetallicFactor(), chrome.getRoughnessFactor()]).toEqual([
      expect.closeTo(1, 6),
      expect.closeTo(0.1, 6),
    ]);
  });
  it('knows a normal map that is called bump', async () => {
    const made = figure([{ extras: { bump: 'map0' } }], [normalsFromHeight(hills(32, 5), 6)]);
    await run(made);
    expect(made.document.getRoot().listMaterials()[0].getNormalTexture()?.getURI()).toBe('map0.png');
  });
  it('keeps the strength of reflection of a specular map, and makes metal of what reflects strongly over black', async () => {
    const half = (left: number, right: number): Pixels => ({
        width: 16,
        height: 16,
        data: new Uint8Array(1024).map((_, i) => ((i & 3) === 3 ? 255 : (i >> 2) % 16 < 8 ? left : right)),
      }),
      made = figure(
        [
          { colour: 0, extras: { specular: 'map1' } },
          { colour: 2, extras: { specular: 'map3', shininess: 'map4' } },
          { colour: 2, extras: { specular: 'map3' } },
        ],
        [half(120, 160), half(90, 140), half(12, 180), half(230, 56), half(200, 60)],
      ),
      materials = made.document.getRoot().listMaterials();
    materials[1].setMetallicFactor(0);
    materials[2].setName('Skin_Face');
    await run(made);
    const kept = materials[0].getExtension<Specular>('KHR_materials_specular'),
      mean = (LINEAR[90] + LINEAR[140]) / 2;
    expect(kept?.getSpecularColorFactor()[0]).toBeCloseTo(1 / mean, 4);
    expect(kept?.getSpecularColorTexture()?.getURI()).toBe('map1.png');
    // By the formulas that go with specular–glossiness: the left half is metal of that colour, 200 of gloss is 55 of roughness.
    const surface = new Uint8Array(
      await sharp(materials[1].getMetallicRoughnessTexture()?.getImage() as Uint8Array)
        .ensureAlpha()
        .raw()
        .toBuffer(),
    );
    expect([surface[1], surface[2] > 240, surface[8 * 4 + 1], surface[8 * 4 + 2] < 8]).toEqual([55, true, 195, true]);
    expect(ownOf(materials[1], 'maps')).toBeUndefined();
    // Skin is no metal, however it shines.
    expect(materials[2].getExtension('KHR_materials_specular')).not.toBeNull();
  });
  it('makes normals of a bump map in their place, and frees normals of a curve of colours', async () => {
    const up = normalsFromHeight(hills(64, 1), 6),
      made = figure([{ normal: 0 }, { normal: 1 }, { normal: 2 }], [hills(64, 1), recoded(up, encodedCurve), up]);
    const { findings } = await run(made, { bumpMm: 50 });
    expect(findings.map(({ code, severity }) => `${code} ${severity}`)).toEqual([
      'textures.bump-as-normal info',
      'textures.normal-curve info',
    ]);
    const [bumped, freed, right] = made.document.getRoot().listMaterials(),
      pixels = async (texture: Texture | null) =>
        new Uint8Array(
          await sharp(texture?.getImage() as Uint8Array)
            .ensureAlpha()
            .raw()
            .toBuffer(),
        );
    const found = await pixels(freed.getNormalTexture());
    // Eight bits there and back: two steps at most.
    expect(found.reduce((most, byte, i) => Math.max(most, Math.abs(byte - up.data[i])), 0)).toBeLessThanOrEqual(2);
    expect(judgeGreen({ ...up, data: await pixels(bumped.getNormalTexture()) }).points).toBe('up');
    expect(right.getNormalTexture()?.getURI()).toBe('map2.png');
  });
  it('works out a third direction, from red and green or from alpha and green', async () => {
    const up = normalsFromHeight(hills(64, 2), 14),
      without = { ...up, data: up.data.map((byte, i) => ((i & 3) === 2 ? 0 : byte)) },
      inAlpha = { ...up, data: up.data.map((byte, i) => [255, byte, 255, up.data[i - 3]][i & 3]) },
      made = figure([{ normal: 0 }, { normal: 1 }], [without, inAlpha]);
    expect((await run(made)).findings.map(({ code }) => code)).toEqual(Array(2).fill('textures.normal-third'));
    for (const material of made.document.getRoot().listMaterials()) {
      const image = material.getNormalTexture()?.getImage() as Uint8Array,
        found = new Uint8Array(await sharp(image).ensureAlpha().raw().toBuffer());
      expect(found.reduce((most, byte, i) => Math.max(most, Math.abs(byte - up.data[i])), 0)).toBeLessThanOrEqual(2);
    }
  });
  it('puts channels in order, with occlusion where there was none', async () => {
    const other: Pixels = {
        width: 16,
        height: 16,
        data: new Uint8Array(1024).map((_, i) => [0, 235 - ((i >> 2) % 40), 0, 60 + ((i >> 2) % 20)][i & 3]),
      },
      made = figure([{ rough: 0 }], [other]),
      [material] = made.document.getRoot().listMaterials();
    expect((await run(made)).findings.map(({ code }) => code)).toEqual(['textures.channel-order']);
    expect(await firstTexel(material.getMetallicRoughnessTexture()?.getImage() as Uint8Array)).toEqual([
      235, 195, 0, 255,
    ]);
    expect(material.getOcclusionTexture()).toBe(material.getMetallicRoughnessTexture());
  });
  it('reads one grey picture as roughness alone, of all that wear it and are no metal', async () => {
    const made = figure([{ rough: 0 }, { rough: 0 }, { rough: 0 }], [hills(16, 3)]),
      materials = made.document.getRoot().listMaterials();
    materials[2].setName('Buckle_Metal');
    await run(made);
    expect(materials.map((material) => material.getMetallicFactor())).toEqual([0, 0, 1]);
  });
  it('makes factors of maps that are one value all over, to the same picture', async () => {
    const level: Pixels = { width: 8, height: 8, data: new Uint8Array(256).map((_, i) => [128, 127, 255, 255][i & 3]) },
      made = figure(
        [{ colour: 0, rough: 1, normal: 2 }],
        [flat(188), { ...level, data: level.data.map((_, i) => [255, 204, 51, 255][i & 3]) }, level],
      ),
      [material] = made.document.getRoot().listMaterials();
    material.setBaseColorFactor([0.5, 1, 1, 0.25]).setRoughnessFactor(0.5).setMetallicFactor(1);
    const { findings } = await run(made);
    expect(findings.map(({ code }) => code)).toEqual(Array(3).fill('textures.constant'));
    expect(made.document.getRoot().listTextures()).toEqual([]);
    const [r, g, , a] = material.getBaseColorFactor();
    // 188 of 255 is 0.5029 in linear light (IEC 61966-2-1).
    expect([r, g, a]).toEqual([expect.closeTo(0.2514, 3), expect.closeTo(0.5029, 3), 0.25]);
    expect([material.getRoughnessFactor(), material.getMetallicFactor()]).toEqual([
      expect.closeTo(0.4, 6),
      expect.closeTo(0.2, 6),
    ]);
  });
  it('leaves a tilt all over, and a map that two channels read', async () => {
    const tilt: Pixels = { width: 8, height: 8, data: new Uint8Array(256).map((_, i) => [200, 127, 230, 255][i & 3]) },
      made = figure(
        [{ normal: 0 }, { rough: 1 }],
        [tilt, { ...tilt, data: tilt.data.map((_, i) => [255, 204, 0, 255][i & 3]) }],
      );
    made.document.getRoot().listMaterials()[1].setOcclusionTexture(made.document.getRoot().listTextures()[1]);
    const { measures } = await run(made);
    expect(measures[0].result).toBe(0);
    expect(made.document.getRoot().listTextures()).toHaveLength(2);
  });
  it('warns of directions where colours belong, of colours where directions do, and of an image that cannot be read says nothing', async () => {
    const made = figure([{ colour: 0, normal: 1 }, { normal: 9 }], [normalsFromHeight(hills(64, 2), 6), painted]);
    const { findings } = await run(made);
    expect(findings.map(({ code, severity }) => `${code} ${severity}`)).toEqual([
      'textures.not-colour warning',
      'textures.not-normal warning',
    ]);
  });
  it('does as it was told of a file by hand, whatever was found', async () => {
    const down = inverted(normalsFromHeight(hills(64, 1), 6), [1]),
      left = figure([{ normal: 0 }], [down]);
    expect((await run(left, { decided: { 'map0.png': 'keep' } })).findings).toEqual([]);
    const shiny = figure([{ rough: 0 }], [surface(40)]);
    expect((await run(shiny, { decided: { 'map0.png': 'mend' } })).measures[0].result).toBe(1);
  });
});

/** Colours of no sort of direction. */
const painted: Pixels = {
  width: 32,
  height: 32,
  data: new Uint8Array(4096).map((_, i) => [190 + ((i >> 2) % 40), 90 + ((i >> 4) % 50), 40, 255][i & 3]),
};
