import type { Document, Material } from '@gltf-transform/core';
import sharp from 'sharp';
import { expect, it } from 'vitest';
import {
  checkCharacter,
  compareCharacters,
  copyDocument,
  floatsOf,
  defaultRecipe,
  listParts,
  runRecipe,
  SHIPPED_TARGETS,
  summarise,
  takeOutPart,
  type Target,
} from '@dimetra/core';
import { encodePixels } from '@dimetra/platform';
import { context, useSmallCast } from './testing/small-cast.ts';

/** Somebody for the target that looks closest, and the same with one thing done to it: what does the target's proof say? */
const of = useSmallCast();
const target = SHIPPED_TARGETS.find((entry) => entry.id === 'bridge-close-up') as Target;
let sound: Promise<Document> | null = null;
const result = () => (sound ??= converted());

/** For the target, with small maps and no morph but the one that closes the eyes: the rest is not what this is about. */
async function converted(): Promise<Document> {
  const run = await runRecipe({ document: async () => of('rescue-swimmer').read.document }, target, defaultRecipe(), {
      context,
    }),
    document = await run.document();
  for (const { prim, mesh, morphNames } of listParts(document)) {
    prim.listTargets().forEach((morph, i) => {
      if (morphNames[i] !== 'blink') prim.removeTarget(morph);
    });
    mesh.setWeights([]).setExtras({ ...mesh.getExtras(), targetNames: morphNames.includes('blink') ? ['blink'] : [] });
  }
  for (const texture of document.getRoot().listTextures()) {
    const image = texture.getImage();
    if (!image) continue;
    const small = await context.images.apply(image, [{ op: 'resize', width: 256, height: 256, content: 'color' }]);
    texture.setImage(small.bytes as Uint8Array<ArrayBuffer>).setMimeType(small.mimeType);
  }
  return document;
}

/** What is harmless has to be so from all of them; each damage shows from one. */
const SIDES = ['figure, front', 'head, left', 'eyes', 'left eye', 'eyes closed'] as const;
type SideName = (typeof SIDES)[number];

/** Names of the rules of appearance that a damage breaks. */
async function broken(
  damage: (document: Document) => void | Promise<void>,
  only: readonly SideName[] = SIDES,
): Promise<string[]> {
  const source = await result(),
    damaged = copyDocument(source);
  await damage(damaged);
  const parity = await compareCharacters(source, damaged, {
    samples: 100,
    still: true,
    images: context.images,
    appearance: { nearestM: target.appearance.nearestM, only },
  });
  return checkCharacter({
    document: damaged,
    summary: summarise(damaged, 'Somebody', { seen: false }),
    target,
    parity,
  }).flatMap(({ rule, ok }) => (rule.startsWith('appearance.') && !ok ? [rule.slice(11)] : []));
}
const material = (document: Document, name: RegExp): Material =>
  document
    .getRoot()
    .listMaterials()
    .find((one) => name.test(one.getName())) as Material;
const partsOf = (document: Document, name: RegExp) => listParts(document).filter((part) => name.test(part.name));
const remove = (name: RegExp) => (document: Document) => partsOf(document, name).forEach(takeOutPart);
/** An image of one colour. */
const plain = async (document: Document, rgb: readonly [number, number, number]) =>
  document
    .createTexture('plain')
    .setMimeType('image/png')
    .setImage(
      (await encodePixels(
        { width: 2, height: 2, channels: 3, data: Uint8Array.from([...rgb, ...rgb, ...rgb, ...rgb]) },
        'image/png',
      )) as Uint8Array<ArrayBuffer>,
    );
const shift = (name: RegExp, by: number) => (document: Document) => {
  for (const { prim } of partsOf(document, name)) {
    const position = prim.getAttribute('POSITION'),
      moved = position?.getArray()?.slice() as Float32Array<ArrayBuffer>;
    for (let i = 1; i < moved.length; i += 3) moved[i] += by;
    prim.setAttribute('POSITION', position?.clone().setArray(moved) ?? null);
  }
};

it.each<[string, (document: Document) => void | Promise<void>]>([
  ['nothing', () => {}],
  ['points that moved by a twentieth of a millimetre', shift(/./, 5e-5)],
  [
    'colours one step brighter',
    (document) => {
      for (const one of document.getRoot().listMaterials()) {
        const [r, g, b, a] = one.getBaseColorFactor();
        one.setBaseColorFactor([r * 1.006, g * 1.006, b * 1.006, a]);
      }
    },
  ],
  [
    'a tongue that nobody sees painted white',
    async (document) => {
      material(document, /tongue/i).setBaseColorTexture(await plain(document, [255, 255, 255]));
    },
  ],
])('%s breaks no rule of appearance', async (_, damage) => {
  expect(await broken(damage)).toEqual([]);
});

it.each<[string, string, SideName, (document: Document) => void | Promise<void>]>([
  ['other', 'hair taken away', 'head, left', remove(/hair/i)],
  ['other', 'hair that slipped by three centimetres', 'head, left', shift(/hair/i, -0.03)],
  ['cover', 'brows taken away', 'eyes', remove(/brow/i)],
  ['cover', 'lashes taken away', 'eyes', remove(/lash/i)],
  [
    'other',
    'lids that close by half',
    'eyes closed',
    (document) => {
      for (const { prim } of partsOf(document, /^head$/i))
        for (const target of prim.listTargets()) {
          const moves = target.getAttribute('POSITION');
          if (moves) target.setAttribute('POSITION', moves.clone().setArray(floatsOf(moves).map((value) => value / 2)));
        }
    },
  ],
  ['other', 'a vest that slipped by five centimetres', 'figure, front', shift(/vest/i, -0.05)],
  [
    'cover',
    'eyeball and cornea that change materials',
    'eyes',
    (document) => {
      const [eye, cornea] = [partsOf(document, /eyes/i)[0], partsOf(document, /cornea/i)[0]];
      eye.prim.setMaterial(cornea.material);
      cornea.prim.setMaterial(eye.material);
    },
  ],
  [
    'changed',
    'a suit painted white',
    'figure, front',
    async (document) => {
      material(document, /suit/i).setBaseColorTexture(await plain(document, [250, 250, 250]));
    },
  ],
  [
    'changed',
    'a face in one colour',
    'head, left',
    async (document) => {
      material(document, /skin_head/i).setBaseColorTexture(await plain(document, [40, 90, 60]));
    },
  ],
  [
    'changed',
    'a suit like a mirror',
    'figure, front',
    (document) => {
      material(document, /suit/i).setMetallicRoughnessTexture(null).setRoughnessFactor(0.1).setMetallicFactor(1);
    },
  ],
  [
    'drawn',
    'hair and scalp both blended',
    'head, left',
    (document) => {
      for (const name of [/hair/i, /scalp/i]) material(document, name).setAlphaMode('BLEND').setDoubleSided(true);
    },
  ],
  [
    'cover',
    'hair cut where hardly any of it passes',
    'head, left',
    async (document) => {
      // Its soft edge too, where it is drawn in two passes; of its map an eighth is left, or layers would make up for it.
      for (const one of document.getRoot().listMaterials()) {
        const texture =
          /hair/i.test(one.getName()) && one.setAlphaMode('MASK').setAlphaCutoff(0.97).getBaseColorTexture();
        if (!texture) continue;
        const { width, height, data } = await context.images.decode(texture.getImage() as Uint8Array);
        for (let i = 0; i < width * height; i++) if (i % width >= width / 8) data[i * 4 + 3] = 0;
        texture
          .setImage((await encodePixels({ width, height, channels: 4, data }, 'image/png')) as Uint8Array<ArrayBuffer>)
          .setMimeType('image/png');
      }
    },
  ],
  [
    'changed',
    'a head turned inside out',
    'head, left',
    (document) => {
      for (const { prim } of partsOf(document, /^head/i)) {
        const indices = prim.getIndices(),
          turned = indices?.getArray()?.slice() as Uint16Array<ArrayBuffer>;
        for (let i = 0; i < turned.length; i += 3) [turned[i], turned[i + 1]] = [turned[i + 1], turned[i]];
        prim.setIndices(indices?.clone().setArray(turned) ?? null);
      }
    },
  ],
])('“%s” is broken by %s', async (rule, _, side, damage) => {
  expect(await broken(damage, [side])).toContain(rule);
});

it('figure and head are pictured whole, as they stand in either: what is lost is missing in the result’s picture alone', async () => {
  const source = await result(),
    damaged = copyDocument(source);
  remove(/hair/i)(damaged);
  const parity = await compareCharacters(source, damaged, {
      samples: 100,
      still: true,
      images: context.images,
      appearance: { nearestM: target.appearance.nearestM, only: ['figure, front', 'head, left', 'eyes'] },
    }),
    views = parity.appearance.views ?? [];
  expect(views.map(({ view, pictures }) => [view.name, Boolean(pictures)])).toEqual([
    ['figure, front', true],
    ['head, left', true],
    ['eyes', false],
  ]);
  // Read by the image library itself: the source's picture is the sound one's, the result's is another by what is gone.
  const levels = async (uri: string | undefined) => {
    const { data, info } = await sharp(Buffer.from((uri ?? '').split(',')[1], 'base64'))
      .greyscale()
      .raw()
      .toBuffer({ resolveWithObject: true });
    expect([info.width, info.height]).toEqual([384, 384]);
    return data;
  };
  const apart = (a: Buffer, b: Buffer) => a.filter((level, i) => Math.abs(level - b[i]) > 24).length / a.length,
    head = views[1].pictures,
    [before, after] = [await levels(head?.source), await levels(head?.result)];
  expect(apart(before, after)).toBeGreaterThan(0.01);
  expect(new Set(before).size).toBeGreaterThan(60);
});
