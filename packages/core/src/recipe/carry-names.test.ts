import type { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { copyDocument, listParts, skeletonOf } from '../character/index.ts';
import { isUnchanged, sourceChanges, summarise } from '../inspect/index.ts';
import { dressed } from '../testing/dressed.ts';
import { carryNames, namesAfter } from './carry-names.ts';
import { defaultRecipe, parseRecipe } from './recipe.ts';
import { namesKnown, namesMissing } from './shared.ts';

const summary = (document: Document) => summarise(document, 'Stoker');
function changed(change: (document: Document) => void) {
  const before = dressed(),
    after = copyDocument(before);
  change(after);
  return sourceChanges(summary(before), summary(after));
}
const nodeOf = (document: Document, name: string) => {
  const node = document
    .getRoot()
    .listNodes()
    .find((one) => one.getName() === name);
  if (!node) throw new Error(`no ${name}`);
  return node;
};

describe('a new version of a source', () => {
  it('that is the same differs in nothing', () => {
    expect(isUnchanged(changed(() => {}))).toBe(true);
  });
  it('is told part by part, joint by joint, morph by morph; what only changed its name is found by what it is', () => {
    const changes = changed((document) => {
      nodeOf(document, 'Jacket').setName('Foul_Jacket');
      nodeOf(document, 'leftHand').setName('hand_l');
      document.getRoot().listMaterials().at(-1)?.setName('Oilskin');
      document.createAnimation('Wave');
    });
    expect(changes.part).toMatchObject({ gone: [], came: [], renamed: [{ from: 'Jacket', to: 'Foul_Jacket' }] });
    expect(changes.joint.renamed).toEqual([{ from: 'leftHand', to: 'hand_l', why: 'leftHand of the figure' }]);
    // What hung under it hangs under the new name.
    expect(changes.joint.changed[0]).toMatchObject({ what: 'under leftHand → under hand_l' });
    expect(changes.material.renamed).toEqual([{ from: 'Jacket_Cloth', to: 'Oilskin', why: 'worn by Foul_Jacket' }]);
    expect(changes.clip.came).toEqual(['Wave']);
    expect(isUnchanged(changes)).toBe(false);
  });
  it('in which something is gone, or has other polygons, says so', () => {
    const gone = changed((document) => nodeOf(document, 'Jacket').setMesh(null).setSkin(null));
    expect(gone.part.gone).toEqual(['Jacket']);
    const fewer = changed((document) => {
      const part = listParts(document).find(({ name }) => name === 'Jacket'),
        indices = part?.prim.getIndices(),
        all = indices?.getArray();
      if (indices && all) part?.prim.setIndices(indices.clone().setArray(all.slice(0, 300)));
    });
    expect(fewer.part.changed).toMatchObject([{ name: 'Jacket', what: expect.stringMatching(/ → 100 triangles$/) }]);
  });
  it('of two that are alike takes neither for the other', () => {
    const twins = (names: readonly string[]) => {
      const document = dressed(),
        jacket = nodeOf(document, 'Jacket');
      jacket.setName(names[0]);
      document
        .getRoot()
        .listScenes()[0]
        .addChild(document.createNode(names[1]).setMesh(jacket.getMesh()).setSkin(jacket.getSkin()));
      return summary(document);
    };
    const { part } = sourceChanges(twins(['Left', 'Right']), twins(['L', 'R']));
    expect(part.renamed).toEqual([]);
    expect([part.gone, part.came]).toEqual([
      ['Left', 'Right'],
      ['L', 'R'],
    ]);
  });
});

describe('a recipe for it', () => {
  const changes = changed((document) => {
    nodeOf(document, 'Jacket').setName('Foul_Jacket');
  });
  const recipe = (settings: object) =>
    parseRecipe({
      ...defaultRecipe(),
      steps: defaultRecipe().steps.map((step) => (step.id === 'reduce.simplify' ? { ...step, settings } : step)),
    });
  const of = ({ recipe: { steps } }: ReturnType<typeof carryNames>) =>
    steps.find(({ id }) => id === 'reduce.simplify')?.settings;
  it('says the same of what goes by another name', () => {
    const carried = carryNames(recipe({ parts: { Jacket: 400, Figure: 900 }, triangles: 5000 }), changes);
    expect(of(carried)).toEqual({ parts: { Foul_Jacket: 400, Figure: 900 }, triangles: 5000 });
    expect(carried.carried).toEqual([{ step: 'reduce.simplify', kind: 'part', from: 'Jacket', to: 'Foul_Jacket' }]);
  });
  it('keeps what is said of the new name already, and is the same where nothing is carried', () => {
    const both = recipe({ parts: { Jacket: 400, Foul_Jacket: 70 } });
    expect(carryNames(both, changes).recipe).toBe(both);
    const none = recipe({ triangles: 5000 });
    expect(carryNames(none, changes)).toEqual({ recipe: none, carried: [] });
  });
  it('knows what steps made of the version before, but not what went with it', () => {
    const before = summary(dressed()),
      after = copyDocument(dressed());
    nodeOf(after, 'Jacket').setName('Foul_Jacket');
    const now = summary(after),
      result = { ...before, morphTargets: [...before.morphTargets, 'made by a step'] },
      known = namesAfter(sourceChanges(before, now), now, result);
    expect(known.part).toContain('Foul_Jacket');
    expect(known.part).not.toContain('Jacket');
    expect(known.morph).toContain('made by a step');
  });
  it('names what no longer fits', () => {
    const after = dressed();
    nodeOf(after, 'Jacket').setMesh(null).setSkin(null);
    const missing = namesMissing(recipe({ parts: { Jacket: 400 } }), namesKnown(summary(after)));
    expect(missing.map(({ kind, name }) => [kind, name])).toEqual([['part', 'Jacket']]);
    expect(skeletonOf(after).joints.length).toBeGreaterThan(20);
  });
});
