import {
  besideModel,
  finishDocument,
  imageError,
  judgeDelivery,
  ktx2Head,
  modelFiles,
  readCharacter,
  SHIPPED_TARGETS,
  stepById,
  summarise,
  type Target,
} from '@dimetra/core';
import { look } from '@dimetra/eyes';
import { sharpCodec, unpackImage } from '@dimetra/platform';
import type { Document } from '@gltf-transform/core';
import { cloneDocument } from '@gltf-transform/functions';
import { describe, expect, it } from 'vitest';
import { context, useSmallCast } from './testing/small-cast.ts';

const of = useSmallCast();
const target = {
  ...(SHIPPED_TARGETS.find(({ id }) => id === 'headset-deck') as Target),
  textures: { maxSize: 256, sizes: {}, formats: ['image/png'], asSeen: false, packed: 'smallest', maxError: 2 },
} as Target;

/** Maps of a person as a target that wants them packed gets them. */
async function packed(): Promise<Document> {
  const document = cloneDocument(of('deckhand').read.document),
    step = stepById('textures.fit');
  await step?.run(document, { sizes: {} }, target, context);
  const said = await finishDocument(document, context);
  expect(said.find(({ code }) => code === 'textures.packed')?.measured).toBeGreaterThan(0);
  expect(said.filter(({ code }) => code === 'textures.not-packed')).toEqual([]);
  return document;
}
const judged = async (document: Document) => {
  const { checks } = await judgeDelivery(
    {
      ...(await modelFiles(document, target, 'a')),
      document,
      summary: summarise(document, 'a', { seen: false }),
      target,
    },
    look,
  );
  return checks.filter(({ rule, ok }) => !ok && rule.startsWith('delivered.')).map(({ rule }) => rule);
};

describe('maps packed for graphics processors', () => {
  it('are what other eyes find, show what they showed, and come in again', async () => {
    const document = await packed(),
      textures = document.getRoot().listTextures();
    expect(textures.length).toBeGreaterThan(5);
    expect(await judged(document)).toEqual([]);
    expect(
      document
        .getRoot()
        .listExtensionsRequired()
        .map(({ extensionName }) => extensionName),
    ).toEqual(['KHR_texture_basisu']);
    // A quarter of four bytes a texel and a third more, or an eighth.
    const size = textures.reduce((sum, texture) => {
      const head = ktx2Head(texture.getImage() as Uint8Array);
      expect([head?.width, head?.height].every((side) => side && side % 4 === 0 && side <= 256)).toBe(true);
      return sum + ((head?.width ?? 0) * (head?.height ?? 0) * 16) / 3;
    }, 0);
    expect(summarise(document, 'a', { seen: false }).textureMemoryBytes).toBeLessThanOrEqual(
      size / 4 + textures.length,
    );
    const {
        files: [file],
      } = await modelFiles(document, target, 'a'),
      again = (await readCharacter([file], undefined, { unpackImage })).document;
    const source = of('deckhand').read.document.getRoot().listMaterials();
    for (const material of again.getRoot().listMaterials()) {
      const before = source.find((one) => one.getName() === material.getName())?.getBaseColorTexture(),
        after = material.getBaseColorTexture();
      expect(Boolean(after)).toBe(Boolean(before));
      if (!before || !after) continue;
      const now = await sharpCodec.decode(after.getImage() as Uint8Array),
        was = await sharpCodec.apply(before.getImage() as Uint8Array, [
          { op: 'resize', width: now.width, height: now.height, content: 'color' },
        ]);
      expect(imageError(await sharpCodec.decode(was.bytes), now, 'color'), material.getName()).toBeLessThan(4);
    }
  });
  it('lie beside the model as PNG where a target wants its materials as MaterialX', async () => {
    const document = await packed(),
      { files } = await besideModel(
        document,
        { ...target, materials: { ...target.materials, materialX: true } },
        'deckhand',
        context,
      ),
      [text, ...maps] = files,
      named = [...new TextDecoder().decode(text.bytes).matchAll(/value="([^"]+\.(?:png|ktx2))"/g)].map(
        ([, file]) => file,
      );
    expect(maps.length).toBeGreaterThan(5);
    expect([...new Set(named)].sort()).toEqual(maps.map(({ path }) => path).sort());
    for (const { path, bytes } of maps) {
      expect(path).toMatch(/\.png$/);
      expect((await sharpCodec.decode(bytes)).width % 4).toBe(0);
      expect([...bytes.subarray(1, 4)]).toEqual([...'PNG'].map((letter) => letter.charCodeAt(0)));
    }
  });
  it('break the rules where one is cut off, or shown by nothing', async () => {
    const document = await packed(),
      [first, second] = document.getRoot().listTextures(),
      whole = first.getImage() as Uint8Array<ArrayBuffer>;
    first.setImage(whole.slice(0, whole.length >> 1));
    expect(await judged(document)).toContain('delivered.images');
    first.setImage(whole);
    for (const parent of second.listParents()) if (parent.propertyType !== 'Root') parent.swap(second, first);
    // Nobody shows the second image any more: it isn't among those that the validator may be ignorant of.
    expect(await judged(document)).toEqual(expect.arrayContaining(['delivered.warnings', 'delivered.unused']));
  });
});
