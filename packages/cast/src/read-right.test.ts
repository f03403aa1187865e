import {
  deltaE2000,
  LINEAR,
  MAP_FAULTS,
  type Pixels,
  SHIPPED_TARGETS,
  stepById,
  toLab,
  toSrgb,
  writePng,
} from '@dimetra/core';
import type { Document, Texture } from '@gltf-transform/core';
import { KHRMaterialsPBRSpecularGlossiness } from '@gltf-transform/extensions';
import { cloneDocument } from '@gltf-transform/functions';
import { expect, it } from 'vitest';
import { context, useSmallCast } from './testing/small-cast.ts';

const of = useSmallCast();
const decode = (texture: Texture | null) => (texture ? context.images.decode(texture.getImage() as Uint8Array) : null);

/** Every channel of a map by a formula, as another one. */
function remade(document: Document, texture: Texture, name: string, pixels: Pixels): Texture {
  return document
    .createTexture(name)
    .setImage(writePng(pixels))
    .setMimeType('image/png')
    .setURI(`${name}.png`)
    .setExtras(texture.getExtras());
}
const texels = (pixels: Pixels, of: (r: number, g: number, b: number, a: number) => readonly number[]): Pixels => {
  const data = new Uint8Array(pixels.data.length);
  for (let i = 0; i < data.length; i += 4)
    data.set(of(pixels.data[i], pixels.data[i + 1], pixels.data[i + 2], pixels.data[i + 3]).map(Math.round), i);
  return { ...pixels, data };
};

type Made = (document: Document) => Promise<void>;
/** As specular–glossiness: diffuse = c (1 − 0.04)(1 − m) / (1 − max specular), specular = lerp(0.04, c, m). */
const specularGlossiness: Made = async (document) => {
  const extension = document.createExtension(KHRMaterialsPBRSpecularGlossiness);
  for (const material of document.getRoot().listMaterials()) {
    const color = await decode(material.getBaseColorTexture()),
      surface = await decode(material.getMetallicRoughnessTexture());
    if (!color || !surface || color.width !== surface.width || color.height !== surface.height) continue;
    const diffuse = new Uint8Array(color.data.length),
      gloss = new Uint8Array(color.data.length),
      factor = material.getBaseColorFactor();
    for (let i = 0; i < color.data.length; i += 4) {
      const m = (surface.data[i + 2] / 255) * material.getMetallicFactor(),
        c = [0, 1, 2].map((k) => LINEAR[color.data[i + k]] * factor[k]),
        specular = c.map((value) => 0.04 + (value - 0.04) * m),
        left = 1 - Math.max(...specular);
      for (let k = 0; k < 3; k++) {
        diffuse[i + k] = Math.round(toSrgb(Math.min(1, (c[k] * 0.96 * (1 - m)) / Math.max(1e-6, left))));
        gloss[i + k] = Math.round(toSrgb(specular[k]));
      }
      diffuse[i + 3] = color.data[i + 3];
      gloss[i + 3] = Math.round(255 - surface.data[i + 1] * material.getRoughnessFactor());
    }
    const [from] = [material.getBaseColorTexture() as Texture];
    material
      .setExtension(
        'KHR_materials_pbrSpecularGlossiness',
        extension
          .createPBRSpecularGlossiness()
          .setDiffuseTexture(remade(document, from, `${from.getName()}_diffuse`, { ...color, data: diffuse }))
          .setSpecularGlossinessTexture(remade(document, from, `${from.getName()}_sg`, { ...color, data: gloss })),
      )
      .setBaseColorTexture(null)
      .setMetallicRoughnessTexture(null)
      .setBaseColorFactor([1, 1, 1, 1])
      .setMetallicFactor(1)
      .setRoughnessFactor(1);
  }
};
/** With the channels of every surface map in another order. */
const packed =
  (order: (occlusion: number, roughness: number, metalness: number) => readonly number[]): Made =>
  async (document) => {
    const made = new Map<Texture, Texture>();
    for (const material of document.getRoot().listMaterials()) {
      const from = material.getMetallicRoughnessTexture(),
        pixels = await decode(from);
      if (!from || !pixels) continue;
      const fresh =
        made.get(from) ??
        remade(
          document,
          from,
          `${from.getName().replace(/_orm$/, '')}_surface`,
          texels(pixels, (r, g, b) => order(r, g, b)),
        );
      made.set(from, fresh);
      material.setMetallicRoughnessTexture(fresh).setOcclusionTexture(null);
    }
  };
/** With gloss where roughness belongs, and normals green down. */
const turned: Made = async (document) => {
  const made = new Map<Texture, Texture>();
  for (const material of document.getRoot().listMaterials())
    for (const channel of ['Normal', 'MetallicRoughness'] as const) {
      const from = material[`get${channel}Texture`](),
        pixels = await decode(from);
      if (!from || !pixels) continue;
      const fresh =
        made.get(from) ??
        remade(
          document,
          from,
          `${from.getName()}_x`,
          texels(pixels, (r, g, b, a) => [r, 255 - g, b, a]),
        );
      made.set(from, fresh);
      material[`set${channel}Texture`](fresh);
    }
};

/** Mean colour difference, and mean differences of roughness, metalness and of the lean of normals, over all texels. */
async function apart(source: Document, result: Document) {
  const sums = { color: 0, roughness: 0, metalness: 0, normal: 0, colors: 0, surfaces: 0, normals: 0 };
  for (const [i, was] of source.getRoot().listMaterials().entries()) {
    const is = result.getRoot().listMaterials()[i];
    const [colorWas, colorIs] = [await decode(was.getBaseColorTexture()), await decode(is.getBaseColorTexture())];
    if (colorWas && colorIs)
      for (let p = 0; p < colorWas.data.length; p += 28) {
        const lab = (map: Pixels, factor: readonly number[]) =>
          toLab([0, 1, 2].map((k) => toSrgb(LINEAR[map.data[p + k]] * factor[k])) as [number, number, number]);
        sums.color += deltaE2000(lab(colorWas, was.getBaseColorFactor()), lab(colorIs, is.getBaseColorFactor()));
        sums.colors++;
      }
    const [surfaceWas, surfaceIs] = [
      await decode(was.getMetallicRoughnessTexture()),
      await decode(is.getMetallicRoughnessTexture()),
    ];
    if (surfaceWas && surfaceIs)
      for (let p = 0; p < surfaceWas.data.length; p += 4) {
        const value = (map: Pixels, k: number, factor: number) => (map.data[p + k] / 255) * factor;
        sums.roughness += Math.abs(
          value(surfaceWas, 1, was.getRoughnessFactor()) - value(surfaceIs, 1, is.getRoughnessFactor()),
        );
        sums.metalness += Math.abs(
          value(surfaceWas, 2, was.getMetallicFactor()) - value(surfaceIs, 2, is.getMetallicFactor()),
        );
        sums.surfaces++;
      }
    const [normalWas, normalIs] = [await decode(was.getNormalTexture()), await decode(is.getNormalTexture())];
    if (normalWas && normalIs)
      for (let p = 0; p < normalWas.data.length; p += 4) {
        sums.normal += Math.abs(normalWas.data[p + 1] - normalIs.data[p + 1]) / 127.5;
        sums.normals++;
      }
  }
  return {
    color: sums.color / Math.max(1, sums.colors),
    roughness: sums.roughness / Math.max(1, sums.surfaces),
    metalness: sums.metalness / Math.max(1, sums.surfaces),
    normal: sums.normal / Math.max(1, sums.normals),
    ...{ colors: sums.colors, surfaces: sums.surfaces },
  };
}

/** A plain weave of single threads fits either way: what it is has to be said. */
const SAID = { 'pilot_weave_normal_x.png': 'mend' };

it.each<[string, Made, number]>([
  ['specular–glossiness', specularGlossiness, 0],
  ['roughness, metalness, occlusion', packed((o, r, m) => [r, m, o, 255]), 3],
  ['metalness, occlusion and smoothness in alpha', packed((o, r, m) => [m, o, 0, 255 - r]), 3],
  ['gloss and green down', turned, 4],
])('%s comes back to what it was made from', async (_, make, least) => {
  const source = of('harbour-pilot').read.document,
    document = cloneDocument(source);
  await make(document);
  const step = stepById('materials.channels') as NonNullable<ReturnType<typeof stepById>>;
  const { findings } = await step.run(
    document,
    { green: 'found', gloss: 'found', bumpMm: 1, decided: SAID },
    SHIPPED_TARGETS[0],
    context,
  );
  const faults = findings.filter((finding) => (MAP_FAULTS as readonly string[]).includes(finding.code));
  expect(faults.filter((finding) => finding.severity !== 'info').map((finding) => finding.message)).toEqual([]);
  console.log(
    faults.map((f) => f.message).join('\n'),
    await apart(source, document),
    document
      .getRoot()
      .listMaterials()
      .map((m) => m.getName() + ' ' + m.getMetallicRoughnessTexture()?.getURI())
      .filter((x) => !x.endsWith('undefined'))
      .join('\n'),
  );
  expect(faults.length).toBeGreaterThanOrEqual(least);
  const found = await apart(source, document);
  expect(Math.min(found.colors, found.surfaces)).toBeGreaterThan(1000);
  expect(found.color).toBeLessThan(2);
  expect(found.roughness).toBeLessThan(0.03);
  expect(found.metalness).toBeLessThan(0.03);
  expect(found.normal).toBeLessThan(0.01);
});

it('maps that are right are left alone', async () => {
  const document = cloneDocument(of('harbour-pilot').read.document),
    before = document
      .getRoot()
      .listTextures()
      .map((texture) => texture.getURI());
  const step = stepById('materials.channels') as NonNullable<ReturnType<typeof stepById>>;
  await step.run(document, { green: 'found', gloss: 'found', bumpMm: 1, decided: {} }, SHIPPED_TARGETS[0], context);
  expect(
    document
      .getRoot()
      .listTextures()
      .map((texture) => texture.getURI()),
  ).toEqual(before);
});
