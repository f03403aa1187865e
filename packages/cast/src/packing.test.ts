import { finishDocument, modelFiles, notPacked, SHIPPED_TARGETS, stepById, type Target } from '@dimetra/core';
import { ALL_EXTENSIONS, KHRTextureTransform, type Transform } from '@gltf-transform/extensions';
import { type Document, WebIO } from '@gltf-transform/core';
import { cloneDocument } from '@gltf-transform/functions';
import sharp from 'sharp';
import { describe, expect, it } from 'vitest';
import { context, useSmallCast } from './testing/small-cast.ts';

const of = useSmallCast();
const headset = SHIPPED_TARGETS.find(({ id }) => id === 'headset-deck') as Target;
const asking = (packing: 'one' | 'apart'): Target => ({
  ...headset,
  textures: { ...headset.textures, maxSize: 4096, maxMemoryMB: undefined, formats: ['image/png'], packing },
});
async function packed(document: Document, packing: 'one' | 'apart'): Promise<Document> {
  const own = cloneDocument(document),
    step = stepById('materials.packing');
  expect(step?.applies(own, asking(packing))).toBe(true);
  await step?.run(own, {}, asking(packing), context);
  return own;
}
/** What a file says of its materials, and its images opened by another library: read without a line of ours. */
async function opened(document: Document) {
  const own = cloneDocument(document);
  await finishDocument(own, context);
  const [{ bytes }] = (await modelFiles(own, headset, 'a')).files,
    length = new DataView(bytes.buffer, bytes.byteOffset).getUint32(12, true),
    json = JSON.parse(new TextDecoder().decode(bytes.subarray(20, 20 + length))),
    body = bytes.subarray(28 + length);
  const pixels = async (index: number | undefined) => {
    if (index === undefined) return null;
    const view = json.bufferViews[json.images[json.textures[index].source].bufferView],
      start = view.byteOffset ?? 0;
    return sharp(body.slice(start, start + view.byteLength))
      .removeAlpha()
      .raw()
      .toBuffer({ resolveWithObject: true });
  };
  return Object.fromEntries(
    await Promise.all(
      json.materials.map(async (material: never) => {
        const { name, occlusionTexture, pbrMetallicRoughness } = material as {
            name: string;
            occlusionTexture?: { index: number };
            pbrMetallicRoughness?: { metallicRoughnessTexture?: { index: number } };
          },
          surface = pbrMetallicRoughness?.metallicRoughnessTexture;
        return [
          name,
          {
            same: occlusionTexture && surface && occlusionTexture.index === surface.index,
            occlusion: await pixels(occlusionTexture?.index),
            surface: await pixels(surface?.index),
          },
        ] as const;
      }),
    ),
  ) as Record<string, { same?: boolean; occlusion: Image | null; surface: Image | null }>;
}
type Image = { data: Buffer; info: { width: number; channels: number } };
const channel = ({ data, info }: Image, at: number) =>
  Uint8Array.from({ length: data.length / info.channels }, (_, i) => data[i * info.channels + at]);

describe('channels of the maps in a model', () => {
  it('come apart and together again as they were, byte by byte, for a reader that isn’t ours', async () => {
    const source = of('harbour-pilot').read.document,
      before = await opened(source),
      apart = await packed(source, 'apart'),
      two = await opened(apart),
      one = await opened(await packed(apart, 'one'));
    const shaded = Object.keys(before).filter((name) => before[name].occlusion);
    expect(shaded.length).toBeGreaterThan(1);
    for (const name of shaded) {
      const { occlusion, surface } = before[name] as { occlusion: Image; surface: Image };
      expect([before[name].same, two[name].same, one[name].same]).toEqual([true, false, true]);
      // Alone it is grey; what it left behind has no shade any more.
      for (const c of [0, 1, 2].slice(0, (two[name].occlusion as Image).info.channels))
        expect(channel(two[name].occlusion as Image, c)).toEqual(channel(occlusion, 0));
      expect(new Set(channel(two[name].surface as Image, 0))).toEqual(new Set([255]));
      for (const c of [1, 2]) expect(channel(two[name].surface as Image, c)).toEqual(channel(surface, c));
      for (const c of [0, 1, 2]) expect(channel(one[name].surface as Image, c)).toEqual(channel(surface, c));
    }
    expect(notPacked(apart, 'one').map((material) => material.getName())).toEqual(shaded);
    expect(notPacked(apart, 'apart')).toEqual([]);
    // Maps that stand for the old ones are not delivered beside them.
    expect(apart.getRoot().listTextures().length).toBe(source.getRoot().listTextures().length + shaded.length);
  });

  it('stay two where they lie on the figure by other coordinates, and that is said', async () => {
    const apart = await packed(of('harbour-pilot').read.document, 'apart'),
      [material] = notPacked(apart, 'one'),
      moved = apart.createExtension(KHRTextureTransform).createTransform().setScale([2, 2]) as Transform;
    material.getOcclusionTextureInfo()?.setExtension('KHR_texture_transform', moved);
    const own = cloneDocument(apart),
      said = await stepById('materials.packing')?.run(own, {}, asking('one'), context);
    expect(said?.findings).toMatchObject([{ code: 'textures.not-packed', where: material.getName() }]);
    expect(notPacked(own, 'one').map((one) => one.getName())).toEqual([material.getName()]);
  });

  it('are read alike by a map that is shared: made once, used by all', async () => {
    const apart = await packed(of('harbour-pilot').read.document, 'apart'),
      [material] = notPacked(apart, 'one');
    material.clone().setName('Twin');
    const own = await packed(apart, 'one'),
      twins = own
        .getRoot()
        .listMaterials()
        .filter((one) => [material.getName(), 'Twin'].includes(one.getName()));
    expect(new Set(twins.map((one) => one.getOcclusionTexture())).size).toBe(1);
    // And whoever reads it again finds the same.
    const io = new WebIO().registerExtensions(ALL_EXTENSIONS),
      again = await io.readBinary(await io.writeBinary(own));
    expect(notPacked(again, 'one')).toEqual([]);
  });

  it('are left alone where the target doesn’t ask', () => {
    expect(stepById('materials.packing')?.applies(of('harbour-pilot').read.document, headset)).toBe(false);
  });
});
