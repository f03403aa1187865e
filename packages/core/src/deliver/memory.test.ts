import { describe, expect, it } from 'vitest';
import { copyDocument, floatsOf, listParts } from '../character/index.ts';
import { createGltfIO, packDocument } from '../formats/index.ts';
import { defaultRecipe } from '../recipe/index.ts';
import { SHIPPED_TARGETS } from '../targets/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { testContext } from '../testing/context.ts';
import { shapesKey } from './memory.ts';

const context = testContext();
const textured = () => {
  const document = stickFigure(),
    image = document
      .createTexture('skin')
      .setImage(Uint8Array.of(1, 2, 3))
      .setMimeType('image/png');
  document.getRoot().listMaterials()[0].setBaseColorTexture(image);
  return document;
};

async function keyOf(
  change: (document: ReturnType<typeof textured>) => void = () => {},
  { recipe = defaultRecipe(), target = SHIPPED_TARGETS[0], code = (id: string) => id } = {},
) {
  const io = await createGltfIO(),
    source = textured(),
    result = copyDocument(source);
  change(result);
  const [a, b] = await Promise.all([source, result].map((document) => packDocument(io, document, context.hash)));
  return shapesKey(
    { context, recipe, target, code, source: { manifest: a.manifest, document: async () => source } },
    { steps: [], stages: [], kept: { key: 'k', manifest: b.manifest }, document: async () => result },
  );
}

describe('what shapes are measured from', () => {
  it('is the same whatever images show, and another for anything else', async () => {
    const key = await keyOf();
    expect(key).toBeDefined();
    expect(await keyOf((document) => document.getRoot().listTextures()[0].setImage(Uint8Array.of(4, 5)))).toBe(key);
    const moved = await keyOf((document) => {
      const position = listParts(document)[0].prim.getAttribute('POSITION');
      position?.setArray(floatsOf(position).map((x, i) => (i ? x : x + 1e-6)) as Float32Array<ArrayBuffer>);
    });
    const renamed = await keyOf((document) => document.getRoot().listMaterials()[0].setName('Jacket'));
    const turned = await keyOf((document) => document.getRoot().listSkins()[0].listJoints()[1].setScale([1, 1, 1.01]));
    const unnamed = await keyOf((document) => document.getRoot().listNodes()[0].setName('Another'));
    expect(new Set([key, moved, renamed, turned, unnamed]).size).toBe(5);
  });
  it('follows the steps that the source undergoes too: their settings and their code, and no others', async () => {
    const key = await keyOf(),
      saying = (id: string, settings: Record<string, unknown>, enabled = true) => {
        const recipe = defaultRecipe();
        return { ...recipe, steps: recipe.steps.map((step) => (step.id === id ? { id, settings, enabled } : step)) };
      };
    expect(await keyOf(undefined, { recipe: saying('intake.stand', { upAxis: 'z' }) })).not.toBe(key);
    expect(await keyOf(undefined, { recipe: saying('skeleton.repair', {}, false) })).not.toBe(key);
    expect(await keyOf(undefined, { recipe: saying('textures.fit', { size: 512 }) })).toBe(key);
    const code = (id: string) => (id === 'skeleton.repair' ? 'newer' : id);
    expect(await keyOf(undefined, { code })).not.toBe(key);
    expect(await keyOf(undefined, { code: (id) => (id.startsWith('textures') ? 'newer' : id) })).toBe(key);
  });
  it('is not known of a static result, which the target poses', async () => {
    const target = { ...SHIPPED_TARGETS[0], joints: { keep: 'none' as const } } as (typeof SHIPPED_TARGETS)[number];
    expect(await keyOf(undefined, { target })).toBeUndefined();
  });
});
