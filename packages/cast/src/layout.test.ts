import {
  channelsStep,
  copyDocument,
  type Finding,
  inspectMaps,
  knownLayouts,
  learnWithBody,
  layoutStep,
  listParts,
  measureOf,
  ProblemError,
  SHIPPED_FIGURES,
  SHIPPED_TARGETS,
  seamsFit,
  seamsOfMaterial,
  smallPicture,
} from '@dimetra/core';
import { encodePixels, sha256, sharpCodec } from '@dimetra/platform';
import type { Document, Texture } from '@gltf-transform/core';
import sharp from 'sharp';
import * as v from 'valibot';
import { beforeAll, describe, expect, it } from 'vitest';
import { makePerson } from './index.ts';
import { context } from './testing/small-cast.ts';

const SIDE = 256;
/** One person on the polygons of either figure: the generator paints both, each as its own texture places are. */
let onTessel: Document, onCorvane: Document, truth: Uint8Array;

const headOf = (document: Document) => {
  const part = listParts(document).find((one) => one.kind === 'skin' && /head/i.test(one.material?.getName() ?? ''));
  if (!part?.material) throw new Error('no head');
  return { ...part, material: part.material };
};
const colorOf = (document: Document) => headOf(document).material.getBaseColorTexture() as Texture;
const bytesOf = (texture: Texture) => texture.getImage() as Uint8Array<ArrayBuffer>;
const opened = async (bytes: Uint8Array) =>
  new Uint8Array(await sharp(bytes).resize(SIDE, SIDE).removeAlpha().raw().toBuffer());

/** Mean difference of bytes where the skin lies on the map, a little inside its islands. */
async function apart(document: Document, bytes: Uint8Array, from: Uint8Array): Promise<number> {
  const [a, b] = await Promise.all([opened(bytes), opened(from)]),
    { prim } = headOf(document),
    uv = prim.getAttribute('TEXCOORD_0')?.getArray() as Float32Array,
    indices = prim.getIndices()?.getArray() as ArrayLike<number>;
  let sum = 0,
    count = 0;
  for (let t = 0; t < indices.length; t += 3) {
    const at = [0, 1].map((k) =>
        Math.floor(([0, 1, 2].reduce((all, c) => all + uv[indices[t + c] * 2 + k], 0) / 3) * SIDE),
      ),
      o = (at[1] * SIDE + at[0]) * 3;
    for (let k = 0; k < 3; k++) sum += Math.abs(a[o + k] - b[o + k]);
    count += 3;
  }
  return sum / count;
}

const run = (document: Document, settings: { figure: string; body: string | null }) =>
  layoutStep.run(document, settings, SHIPPED_TARGETS[0], {
    ...context,
    character: async () => ({ document: onTessel, name: 'the pilot' }),
  });

beforeAll(async () => {
  // As fine as the format draws it, with maps that show where they belong.
  [onTessel, onCorvane] = await Promise.all(
    (['Tessel', 'Corvane'] as const).map((figure) =>
      makePerson('harbour-pilot', { size: 'small', encode: encodePixels, figure }),
    ),
  );
  truth = bytesOf(colorOf(onCorvane));
});

/** The person on Corvane’s polygons with the colours of the head as they are for Tessel’s. */
function mistaken(): Document {
  const document = copyDocument(onCorvane);
  colorOf(document).setImage(bytesOf(colorOf(onTessel)));
  return document;
}
const found = (findings: readonly Finding[]) =>
  findings.filter(({ code }) => code === 'textures.foreign-layout').map(({ names }) => names?.figure);

describe('maps put straight on a foreign layout', () => {
  it('are laid out anew: as the generator paints them for this figure; what fits stays to the byte', async () => {
    const document = mistaken(),
      before = await apart(document, bytesOf(colorOf(document)), truth),
      body = listParts(document)
        .find((part) => part.kind === 'skin' && /body/i.test(part.material?.getName() ?? ''))
        ?.material?.getBaseColorTexture() as Texture,
      bodyBefore = bytesOf(body).slice(),
      { measures, findings } = await run(document, { figure: 'none', body: 'the pilot' }),
      after = await apart(document, bytesOf(colorOf(document)), truth);
    expect(findings.find(({ code }) => code === 'fit.layout-anew')?.message).toContain(
      '“Skin_Head” were painted for “Head”',
    );
    expect(measureOf(measures, 'maps-laid-out')?.result).toBeGreaterThan(0);
    expect(before).toBeGreaterThan(20);
    expect(after).toBeLessThan(6);
    expect([...bytesOf(body)]).toEqual([...bodyBefore]);
    // Nothing of the other figure is left, nor of the places on it.
    expect(document.getRoot().listMeshes()).toHaveLength(onCorvane.getRoot().listMeshes().length);
    for (const { prim } of listParts(document))
      expect(prim.listSemantics().filter((name) => name.startsWith('_'))).toEqual([]);
    expect(document.getRoot().listTextures()).toHaveLength(onCorvane.getRoot().listTextures().length);
    expect(document.getRoot().listMaterials()).toHaveLength(onCorvane.getRoot().listMaterials().length);
    // A second time there is nothing to be done.
    const again = await run(document, { figure: 'none', body: 'the pilot' });
    expect(again.findings.map(({ code }) => code)).not.toContain('fit.layout-anew');
  });
  it('a map that lies right is left alone, though somebody says otherwise', async () => {
    const document = copyDocument(onCorvane),
      { measures, findings } = await run(document, { figure: 'none', body: 'the pilot' });
    expect(findings.map(({ code }) => code)).not.toContain('fit.layout-anew');
    expect(findings.some(({ code }) => code === 'fit.layout-kept')).toBe(true);
    expect(measureOf(measures, 'maps-laid-out')?.result).toBe(0);
    expect(bytesOf(colorOf(document))).toEqual(truth);
  });
  it('a figure without its skin here is told; nothing is changed', async () => {
    const document = mistaken(),
      before = bytesOf(colorOf(document)).slice();
    await expect(
      layoutStep.run(document, { figure: 'tessel', body: null }, SHIPPED_TARGETS[0], {
        ...context,
        piece: async () => null,
      }),
    ).rejects.toThrow(ProblemError);
    expect(bytesOf(colorOf(document))).toEqual(before);
  });
});

describe('whose layout a map has', () => {
  it('is known of a figure that was learned: told with the step that mends it, which asks for the target’s figure', async () => {
    const { figure } = await learnWithBody(onTessel, { id: 'dockyard', title: 'Dockyard' }, sha256),
      [shipped] = SHIPPED_TARGETS,
      target = { ...shipped, joints: { ...shipped.joints, figure } },
      settings = v.parse(channelsStep.settings, {}),
      document = mistaken(),
      { findings } = await channelsStep.run(document, settings, target, context),
      finding = findings.find(({ code }) => code === 'textures.foreign-layout');
    expect(finding).toMatchObject({ where: 'Skin_Head', repair: 'fit.layout', names: { figure: 'dockyard' } });
    expect(finding?.message).toContain('“Head” of Dockyard');
    // Nothing of the sort is said of the maps as they were painted.
    expect(found((await channelsStep.run(copyDocument(onCorvane), settings, target, context)).findings)).toEqual([]);
    await expect(
      layoutStep.run(document, { figure: 'target', body: null }, target, { ...context, piece: async () => null }),
    ).rejects.toThrow('The skin of Dockyard is not here');
  });
  it('is told of none of the cast’s own maps, whichever figure they are on', async () => {
    for (const document of [onTessel, onCorvane]) expect(found(await inspectMaps(document, sharpCodec))).toEqual([]);
  });
  it('is known by the seams that figures keep: less than half as much goes wrong across them as across any other’s', async () => {
    const picture = smallPicture(await sharpCodec.decode(bytesOf(colorOf(onTessel)))),
      own = Number(seamsFit(picture, seamsOfMaterial(onTessel, headOf(onTessel).material)));
    for (const { figure, part, seams } of knownLayouts(SHIPPED_FIGURES)) {
      expect(seams.length).toBeGreaterThan(4 * 100);
      if (figure === 'corvane' && part === 'Head') expect(Number(seamsFit(picture, seams))).toBeGreaterThan(2 * own);
    }
  });
});
