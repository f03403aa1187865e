import { describe, expect, it } from 'vitest';
import { differences, differenceWords, withDifferences } from './differences.ts';
import { defaultRecipe, parseRecipe, type Recipe } from './recipe.ts';
import { namesMissing, parseSharedRecipe, recipeOf, saysOf, type SharedRecipe, takeShared } from './shared.ts';

const recipe = (settings: Record<string, Record<string, unknown>>, off: readonly string[] = []): Recipe => ({
    ...defaultRecipe(),
    steps: defaultRecipe().steps.map((step) => ({
      ...step,
      enabled: !off.includes(step.id),
      settings: settings[step.id] ?? {},
    })),
  }),
  shared = (settings: Parameters<typeof recipe>[0], off: readonly string[] = [], version = 1): SharedRecipe =>
    parseSharedRecipe({ schema: 1, id: 'deck', title: 'Deck', version, steps: recipe(settings, off).steps });
const lines = (list: ReturnType<typeof differences>) =>
  list.map(({ step, setting, key, from, to }) =>
    [step, setting, key, from, to].filter((one) => one !== undefined).join(' '),
  );

describe('what two recipes say otherwise', () => {
  it('is told setting by setting, of settings by name entry by entry', () => {
    const a = recipe({ 'reduce.simplify': { triangles: 9000, parts: { Hair: 900, Coat: 400 } } }),
      b = recipe({ 'reduce.simplify': { parts: { Hair: 1200, Boots: 100 } } }, ['morphs.drop']);
    expect(lines(differences(a, b))).toEqual([
      'morphs.drop  true false',
      'reduce.simplify parts Boots 100',
      'reduce.simplify parts Coat 400',
      'reduce.simplify parts Hair 900 1200',
      'reduce.simplify triangles 9000',
    ]);
    expect(differences(a, a)).toEqual([]);
    // Put in, they make the one of the other.
    expect(differences(withDifferences(a, differences(a, b)), b)).toEqual([]);
    expect(differences(withDifferences(b, differences(b, a)), a)).toEqual([]);
    expect(parseRecipe(withDifferences(a, differences(a, b)))).toBeTruthy();
  });
  it('is one whatever the order of keys, and nothing for what isn’t set', () => {
    const one = recipe({ 'reduce.simplify': { parts: { Hair: 1, Coat: 2 }, importance: {} } }),
      other = recipe({ 'reduce.simplify': { importance: {}, parts: { Coat: 2, Hair: 1 } } });
    expect(differences(one, other)).toEqual([]);
  });
  it('is said in words', () => {
    const [off, triangles] = differences(
      recipe({}),
      recipe({ 'reduce.simplify': { triangles: 9000 } }, ['morphs.drop']),
    );
    expect(differenceWords(off)).toEqual({ where: 'Drop and tidy', what: 'switched off' });
    expect(differenceWords(triangles)).toEqual({
      where: 'Triangles to budget',
      what: 'Triangles for the whole: 9000',
    });
    expect(differenceWords({ ...triangles, from: 8000, to: undefined }).what).toBe(
      'Triangles for the whole: 8000 → as by itself',
    );
  });
});

describe('a shared recipe that a character takes', () => {
  const first = shared({ 'reduce.simplify': { triangles: 9000 }, 'morphs.drop': { empty: true } });
  it('says what it sets', () => {
    expect(lines(saysOf(first))).toEqual(['morphs.drop empty true', 'reduce.simplify triangles 9000']);
  });
  it('leaves what is its own, and changes what it followed', () => {
    const now = recipe({
        'reduce.simplify': { triangles: 9000, parts: { Hair: 1500 } },
        'morphs.drop': { empty: true },
      }),
      second = shared({ 'reduce.simplify': { triangles: 7000 } }, [], 2),
      taken = takeShared(now, second, first);
    expect(lines(taken.own)).toEqual(['reduce.simplify parts Hair 1500']);
    expect(lines(taken.changes)).toEqual(['morphs.drop empty true', 'reduce.simplify triangles 9000 7000']);
    expect(lines(differences(recipeOf(second), taken.recipe))).toEqual(lines(taken.own));
    // Taken once more it changes nothing.
    expect(takeShared(taken.recipe, second, second).changes).toEqual([]);
  });
  it('that it never followed finds everything set to be its own, or takes the place of it', () => {
    const now = recipe({ 'reduce.simplify': { triangles: 5000 } }, ['morphs.mirror']);
    const kept = takeShared(now, first, null);
    expect(lines(kept.own)).toEqual(['morphs.mirror  true false', 'reduce.simplify triangles 9000 5000']);
    expect(lines(kept.changes)).toEqual(['morphs.drop empty true']);
    const plain = takeShared(now, first, null, false);
    expect(plain.own).toEqual([]);
    expect(differences(plain.recipe, recipeOf(first))).toEqual([]);
  });
  it('keeps mixes, which are only for dialling', () => {
    const mixes = [{ name: 'Grin', weights: { smile: 1 } }];
    expect(takeShared({ ...recipe({}), mixes }, first, null).recipe.mixes).toEqual(mixes);
  });
  it('names what the character doesn’t have, with what is nearest', () => {
    const named = recipe({ 'reduce.simplify': { parts: { Hair: 900, Coat: 400 } } }),
      known = { material: [], part: ['Hair', 'Boat'], joint: [], morph: [] };
    expect(namesMissing(named, known)).toEqual([
      { step: 'reduce.simplify', kind: 'part', name: 'Coat', nearest: '; “Boat” is nearest' },
    ]);
    // What is switched off names nothing.
    expect(namesMissing({ ...named, steps: named.steps.map((step) => ({ ...step, enabled: false })) }, known)).toEqual(
      [],
    );
  });
});

describe('a shared recipe from outside', () => {
  it.each([
    ['no title', { title: ' ' }, 'title'],
    ['an id that is a path', { id: '../x' }, 'id'],
    ['version nought', { version: 0 }, 'version'],
    ['another schema', { schema: 2 }, 'schema'],
    ['a step that isn’t', { steps: [{ id: 'no.such' }] }, 'no.such'],
    ['a setting of another kind', { steps: [{ id: 'reduce.simplify', settings: { triangles: 'many' } }] }, 'triangles'],
    ['no steps', { steps: 'none' }, 'steps'],
  ])('with %s is refused, and told what is wrong', (_, change, named) => {
    const given = { schema: 1, id: 'deck', title: 'Deck', version: 1, steps: [], ...change };
    expect(() => parseSharedRecipe(given)).toThrow(/./);
    try {
      parseSharedRecipe(given);
    } catch (error) {
      expect(JSON.stringify({ ...(error as object), message: (error as Error).message })).toContain(named);
    }
  });
  it('is what convert takes', () => {
    const given = shared({ 'reduce.simplify': { triangles: 9000 } });
    expect(parseRecipe(given).steps).toEqual(given.steps);
  });
});
