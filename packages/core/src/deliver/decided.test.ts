import { describe, expect, it } from 'vitest';
import { updateDossier } from '../character/index.ts';
import { defaultRecipe, type Recipe } from '../recipe/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { decidedOf, licenceOf } from './decided.ts';

const recipe = (settings: Record<string, unknown>): Recipe => ({
    ...defaultRecipe(),
    steps: defaultRecipe().steps.map((step) => (step.id === 'reduce.simplify' ? { ...step, settings } : step)),
  }),
  shared = {
    schema: 1 as const,
    id: 'deck',
    title: 'Deck',
    note: '',
    version: 3,
    ...{ steps: recipe({ triangles: 900 }).steps },
  };

describe('what was decided', () => {
  it('is nothing where nothing was', () => {
    expect(decidedOf(defaultRecipe())).toEqual({ settings: [] });
  });
  it('is every setting, and by whom; what is the shared recipe’s and what is the character’s own', () => {
    const own = recipe({ triangles: 900, parts: { Hair: 70 } });
    expect(decidedOf(own, { by: 'Ada', follows: shared })).toEqual({
      by: 'Ada',
      recipe: { id: 'deck', title: 'Deck', version: 3 },
      settings: [
        { where: 'Triangles to budget', what: 'Triangles by part, Hair: 70', own: true },
        { where: 'Triangles to budget', what: 'Triangles for the whole: 900', own: false },
      ],
    });
    expect(decidedOf(own).settings.every((row) => row.own)).toBe(true);
  });
  it('tells what a character takes back of the recipe it follows', () => {
    expect(decidedOf(recipe({}), { follows: shared }).settings).toEqual([
      { where: 'Triangles to budget', what: 'Triangles for the whole: 900 → as by itself', own: true },
    ]);
  });
});

describe('the licence note', () => {
  it('is what came with the figure, line by line', () => {
    const document = stickFigure();
    expect(licenceOf(document)).toEqual([]);
    updateDossier(document, {
      origin: { files: ['a.vrm'], copyright: '2026 Vell Sund pilotage' },
      vrm: { version: '1.0', meta: { authors: ['Ada', 'Bo'], commercialUsage: 'corporation', avatarPermission: 7 } },
    } as never);
    expect(licenceOf(document)).toEqual([
      'Copyright: 2026 Vell Sund pilotage',
      'Authors: Ada, Bo',
      'Used commercially: corporation',
    ]);
  });
});
