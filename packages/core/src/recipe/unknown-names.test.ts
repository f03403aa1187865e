import { describe, expect, it } from 'vitest';
import { SHIPPED_TARGETS } from '../targets/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { testContext } from '../testing/context.ts';
import { runRecipe } from './index.ts';

const told = async (id: string, settings: Record<string, unknown>) => {
  const document = stickFigure(),
    run = await runRecipe(
      { document: async () => document },
      SHIPPED_TARGETS[1],
      { schema: 1, steps: [{ id, enabled: true, settings }] },
      { context: testContext() },
    );
  return (
    run.steps
      .find((step) => step.id === id)
      ?.findings.filter((finding) => finding.code.startsWith('recipe.'))
      .map((finding) => finding.message) ?? []
  );
};

describe('names in a recipe that nothing answers to', () => {
  it.each<[string, Record<string, unknown>, RegExp]>([
    [
      'materials.transparency',
      { alphaModes: { Skinn: 'OPAQUE' } },
      /names the material “Skinn”, which the character doesn't have; “Skin” is nearest/,
    ],
    ['reduce.simplify', { parts: { Bodi: 100 } }, /names the part “Bodi”.*“Body” is nearest/],
    ['skeleton.remap', { ties: { leftFot: '' } }, /names the joint “leftFot”.*“leftFoot” is nearest/],
    ['reduce.simplify', { triangels: 100 }, /has no setting “triangels”; “triangles” is nearest\. It did nothing/],
    [
      'skeleton.remap',
      { ties: { tentacle: '' } },
      /names the joint “tentacle”, which the character doesn't have\. That setting/,
    ],
    // Two letters in five may differ, and no more.
    ['skeleton.remap', { ties: { rightUppaaaaa: '' } }, /“rightUppaaaaa”.*; “rightUpperArm” is nearest/],
    ['skeleton.remap', { ties: { rightbbbbbbbb: '' } }, /“rightbbbbbbbb”, which the character doesn't have\. That/],
  ])('%s: are told, with the nearest that exists', async (id, settings, sentence) => {
    expect(await told(id, settings)).toEqual([expect.stringMatching(sentence)]);
  });
  it('says nothing where all are there', async () => {
    expect(await told('reduce.simplify', { parts: { Body: 5000 }, triangles: 6000 })).toEqual([]);
    expect(await told('skeleton.remap', { ties: {} })).toEqual([]);
  });
});
