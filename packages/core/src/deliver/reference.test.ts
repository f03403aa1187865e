import type { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { inverseBindsOf, listParts, readDossier } from '../character/index.ts';
import { type Recipe, type RecipeRun, defaultRecipe } from '../recipe/index.ts';
import { findBrokenBinds, measureStance, standAsFound } from '../rig/index.ts';
import { SHIPPED_TARGETS } from '../targets/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { testContext } from '../testing/context.ts';
import { referenceOf } from './reference.ts';

/** A figure whose forearm is bound 20 cm off, and a buoy beside it. */
function damaged(): Document {
  const document = stickFigure(),
    [skin] = document.getRoot().listSkins(),
    binds = Float32Array.from(inverseBindsOf(skin)),
    [body] = document.getRoot().listMeshes();
  binds[skin.listJoints().findIndex((joint) => joint.getName() === 'leftLowerArm') * 16 + 12] += 0.2;
  skin.setInverseBindMatrices(document.createAccessor().setType('MAT4').setArray(binds));
  const buoy = document
    .createPrimitive()
    .setAttribute('POSITION', body.listPrimitives()[0].getAttribute('POSITION'))
    .setIndices(body.listPrimitives()[0].getIndices());
  document
    .getRoot()
    .listScenes()[0]
    .addChild(document.createNode('Buoy').setMesh(document.createMesh('Buoy').addPrimitive(buoy)));
  return document;
}
const target = SHIPPED_TARGETS[0];
const saying = (id: string, settings: Record<string, unknown>, enabled = true): Recipe => {
  const recipe = defaultRecipe();
  return { ...recipe, steps: recipe.steps.map((step) => (step.id === id ? { ...step, settings, enabled } : step)) };
};
async function reference(source: Document, recipe: Recipe): Promise<Document> {
  const asked = { recipe, target, source: { document: async () => source } },
    run = { steps: [] } as unknown as RecipeRun;
  return (await referenceOf(source, measureStance(source), run, asked, { context: testContext() })).document;
}
const broken = (document: Document) => findBrokenBinds(document).length;

describe('what a result is held against', () => {
  it('is the source itself where no step means it', async () => {
    const source = stickFigure();
    standAsFound(source);
    expect((await reference(source, defaultRecipe())) === source).toBe(true);
    // A centimetre in the floor is not standing.
    const sunk = stickFigure();
    expect((await reference(sunk, defaultRecipe())) === sunk).toBe(false);
  });
  it('has its binds mended as the recipe mends them: all, all but some, or none', async () => {
    const source = damaged();
    expect(broken(source)).toBe(1);
    expect(broken(await reference(source, defaultRecipe()))).toBe(0);
    // Left as they are by hand they are part of the person, and nothing is to be found off.
    expect(broken(await reference(source, saying('skeleton.repair', { leave: ['leftLowerArm'] })))).toBe(1);
    expect(broken(await reference(source, saying('skeleton.repair', {}, false)))).toBe(1);
    expect(broken(source)).toBe(1);
  });
  it('misses what was left out by hand, and keeps it where that step is switched off', async () => {
    const source = damaged(),
      parts = (document: Document) => listParts(document).map((part) => part.name);
    expect(parts(await reference(source, saying('intake.leave-out', { drop: ['Buoy'] })))).toEqual(['Body']);
    expect(parts(await reference(source, saying('intake.leave-out', { drop: ['Buoy'] }, false)))).toEqual([
      'Body',
      'Buoy',
    ]);
    expect(parts(source)).toEqual(['Body', 'Buoy']);
  });
  it('is told what its materials are', async () => {
    const told = await reference(stickFigure(), saying('materials.kinds', { kinds: { Skin: 'cloth' } }));
    expect(readDossier(told).materialKinds).toEqual({ Skin: 'cloth' });
  });
  it('stands as it was set to stand', async () => {
    const source = stickFigure(),
      there = measureStance(await reference(source, saying('intake.stand', { unitMetres: 0.5 })));
    expect(there.heightCm).toBeCloseTo(measureStance(source).heightCm / 2, 1);
  });
});
