import { Document } from '@gltf-transform/core';
import sharp from 'sharp';
import { describe, expect, it } from 'vitest';
import { writePng } from '../formats/index.ts';
import { sheetOf } from '../testing/sheet.ts';
import { textureMemory, textureState } from '../pixels/index.ts';
import { SHIPPED_TARGETS, type Target } from '../targets/index.ts';
import { testContext } from '../testing/context.ts';
import { texturesStep } from './fit-step.ts';

const SIDE = 512,
  ONE = textureMemory({ width: SIDE, height: SIDE }) / 1048576;
const context = {
  ...testContext(),
  images: {
    decode: async (bytes: Uint8Array) => {
      const { data, info } = await sharp(bytes).ensureAlpha().raw().toBuffer({ resolveWithObject: true });
      return { width: info.width, height: info.height, data: new Uint8Array(data) };
    },
    apply: async (bytes: Uint8Array) => ({ bytes, mimeType: 'image/png' as const }),
  },
};

/** Two sheets, as tall as a person, side by side: one wears stripes, the other one colour; a third lies behind both. */
function sheets() {
  const document = new Document();
  const map = (name: string, texel: (x: number) => number) => {
    const data = new Uint8Array(SIDE * SIDE * 4);
    for (let i = 0; i < SIDE * SIDE; i++) data.set([texel(i % SIDE), 90, 80, 255], i * 4);
    return document
      .createTexture(name)
      .setImage(writePng({ width: SIDE, height: SIDE, data }))
      .setMimeType('image/png')
      .setURI(`${name}.png`);
  };
  const scene = document.createScene();
  for (const [name, x, z, texel] of [
    ['striped', -0.5, 0, (i: number) => (i % 4 < 2 ? 200 : 60)],
    ['plain', 0.5, 0, () => 120],
    ['hidden', 0, -0.05, (i: number) => (i % 4 < 2 ? 200 : 60)],
  ] as const) {
    const prim = sheetOf(document, [x - 0.5, 0, z, x + 0.5, 0, z, x + 0.5, 1.75, z, x - 0.5, 1.75, z]).setMaterial(
      document.createMaterial(name).setBaseColorTexture(map(name, texel)),
    );
    scene.addChild(document.createNode(name).setMesh(document.createMesh().addPrimitive(prim)));
  }
  return document;
}
const fitted = async (textures: Partial<Target['textures']>, nearestM = 0.7) => {
  const document = sheets(),
    [first] = SHIPPED_TARGETS,
    target: Target = {
      ...first,
      textures: { maxSize: 4096, sizes: {}, formats: ['image/png'], asSeen: false, ...textures },
      appearance: { ...first.appearance, nearestM },
    };
  const done = await texturesStep.run(document, { sizes: {} }, target, context),
    sizes = Object.fromEntries(
      document
        .getRoot()
        .listTextures()
        .map((texture) => [texture.getName(), textureState(texture).width]),
    );
  return { ...done, sizes };
};

describe('maps within their budget', () => {
  it('stay as they are where they fit', async () => {
    const { sizes, findings } = await fitted({ maxMemoryMB: ONE * 3.01 });
    expect(sizes).toEqual({ striped: SIDE, plain: SIDE, hidden: SIDE });
    expect(findings).toEqual([]);
  });
  it('give up what nobody sees: one colour and what lies behind, before the stripes; and say why', async () => {
    const { sizes, findings } = await fitted({ maxMemoryMB: ONE * 1.6 });
    expect(sizes).toMatchObject({ striped: SIDE });
    expect(sizes.plain).toBeLessThan(SIDE);
    expect(sizes.hidden).toBeLessThan(SIDE);
    const plain = findings.find(({ where }) => where === 'plain.png');
    expect(plain).toMatchObject({ code: 'textures.sized', severity: 'info', measured: 0 });
    expect(plain?.message).toMatch(/“plain\.png” goes from 512 × 512 to \d+ × \d+: .* \(nothing of it is seen\)/);
  });
  it('lie no denser than the target says, all three alike', async () => {
    // 512 texels across a metre.
    const { sizes, findings } = await fitted({ texelsPerCm: 3 });
    expect(sizes).toEqual({ striped: 256, plain: 256, hidden: 256 });
    expect(findings.map(({ message }) => message.endsWith('more than 3 texels would lie on a centimetre.'))).toEqual([
      true,
      true,
      true,
    ]);
  });
  it('are no finer than is seen from far away, and as fine as they came from near', async () => {
    const near = await fitted({ asSeen: true }, 0.3),
      far = await fitted({ asSeen: true }, 12);
    expect(near.sizes.striped).toBe(SIDE);
    expect(far.sizes.striped).toBeLessThan(SIDE);
    expect(far.findings.find(({ where }) => where === 'striped.png')?.message).toContain(
      'from 12 m no side shows more',
    );
  });
});
