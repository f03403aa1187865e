import { describe, expect, it } from 'vitest';
import { look } from '@dimetra/eyes';
import { listParts, readDossier } from '../character/index.ts';
import { convert } from '../deliver/index.ts';
import { summarise } from '../inspect/index.ts';
import { defaultRecipe, runRecipe } from '../recipe/index.ts';
import { SHIPPED_TARGETS } from '../targets/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { testContext } from '../testing/context.ts';

const target = SHIPPED_TARGETS.find((entry) => entry.id === 'bridge-close-up') as (typeof SHIPPED_TARGETS)[number];
const saying = (kinds: Record<string, string>) => ({
  ...defaultRecipe(),
  steps: defaultRecipe().steps.map((entry) =>
    entry.id === 'materials.kinds' ? { ...entry, settings: { kinds } } : entry,
  ),
});
const run = async (kinds: Record<string, string>) => {
  const source = stickFigure(),
    done = await runRecipe({ document: async () => source }, target, saying(kinds), { context: testContext() });
  return { document: await done.document(), step: done.steps.find((step) => step.id === 'materials.kinds') };
};

describe('what a material is, said by hand', () => {
  it('is what its part is from then on, for everything that asks', async () => {
    const { document, step } = await run({ Skin: 'rubber' });
    expect(listParts(document)[0].kind).toBe('rubber');
    expect(summarise(document, 'Stick', { seen: false }).materials[0].kind).toBe('rubber');
    expect(step?.findings).toMatchObject([{ code: 'materials.kind', where: 'Skin' }]);
    expect(step?.findings[0].message).toBe('“Skin” is rubber, as was said by hand; it was taken for skin before.');
    expect(step?.measures[0].result).toBe(1);
  });
  it('is no finding where it is what the name says, and the step is none where nothing is said', async () => {
    expect((await run({ Skin: 'skin' })).step?.findings).toEqual([]);
    const { step, document } = await run({});
    expect(step).toBeUndefined();
    expect(readDossier(document).materialKinds).toBeUndefined();
  });
  it('of a material that is not there does nothing and is told', async () => {
    const { step, document } = await run({ Skinn: 'hair' });
    expect(readDossier(document).materialKinds).toEqual({});
    expect(step?.findings).toMatchObject([{ code: 'recipe.unknown-name', where: 'Skinn' }]);
  });
  it('is refused where there is no such kind', async () => {
    await expect(run({ Skin: 'marble' })).rejects.toThrow();
  });
  it('holds for what the result is measured against too: nothing counts as changed', async () => {
    const source = stickFigure(),
      recipe = saying({ Skin: 'cloth' });
    const done = await convert({
      name: 'Stick',
      source: { document: async () => source },
      target,
      recipe: { ...recipe, steps: recipe.steps.map((step) => ({ ...step, enabled: step.id === 'materials.kinds' })) },
      created: '',
      context: testContext(),
      eyes: look,
      samples: 500,
    });
    expect(done.report.parity.shape.rest.maxMm).toBe(0);
    expect(done.report.parity.shape.parts.every((row) => row.maxMm === 0)).toBe(true);
    expect(done.steps.map((step) => step.id)).toContain('materials.kinds');
  });
  it('holds for the rules too, which look at what is delivered', async () => {
    const source = stickFigure();
    source.getRoot().listMaterials()[0].setBaseColorFactor([1, 1, 1, 0.1]);
    const of = async (kinds: Record<string, string>) => {
      const { report } = await convert({
        name: 'Stick',
        source: { document: async () => source },
        target,
        recipe: saying(kinds),
        created: '',
        context: testContext(),
        eyes: look,
        appearance: false,
        samples: 500,
      });
      return [report.result.materials[0].kind, report.checks.find((check) => check.rule === 'materials.white')?.ok];
    };
    // A clear layer is white on purpose.
    expect(await of({})).toEqual(['skin', false]);
    expect(await of({ Skin: 'cornea' })).toEqual(['cornea', true]);
  });
});
