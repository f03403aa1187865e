import * as v from 'valibot';
import { settingWords } from '../settings.ts';
import type { CharacterSummary } from '../inspect/index.ts';
import { nearestName } from '../nearest-name.ts';
import { parseOrTell } from '../problem.ts';
import { type Difference, differences, withDifferences } from './differences.ts';
import { defaultRecipe, parseRecipe, type Recipe, RecipeSchema } from './recipe.ts';
import { stepById } from './steps.ts';

/** A recipe that characters share: named, in versions that never change. Exchanged as JSON; `convert --recipe` takes it as it is. */
export const SharedRecipeSchema = v.object({
  schema: v.literal(1),
  id: v.pipe(v.string(), v.regex(/^[a-z0-9][a-z0-9-]{0,63}$/, 'lower-case letters, digits and hyphens')),
  title: v.pipe(v.string(), v.trim(), v.minLength(1), v.maxLength(80)),
  note: v.optional(v.pipe(v.string(), v.maxLength(2000)), ''),
  version: v.pipe(v.number(), v.integer(), v.minValue(1)),
  /** Target that it was made for. */
  target: v.optional(v.pipe(v.string(), v.maxLength(64))),
  steps: RecipeSchema.entries.steps,
});
export type SharedRecipe = v.InferOutput<typeof SharedRecipeSchema>;

/** @throws ProblemError recipe.invalid, recipe.unknown-step, recipe.setting */
export function parseSharedRecipe(value: unknown): SharedRecipe {
  const shared = parseOrTell(SharedRecipeSchema, value, { code: 'recipe.invalid', what: 'The recipe' });
  return { ...shared, steps: parseRecipe({ schema: 1, steps: shared.steps }).steps };
}

export const recipeOf = ({ steps }: Pick<SharedRecipe, 'steps'>): Recipe => ({ schema: 1, steps });

/** What a shared recipe says at all: how it differs from every step switched on with nothing set. */
export const saysOf = (shared: SharedRecipe): Difference[] => differences(defaultRecipe(), recipeOf(shared));

export interface Taken {
  /** What the character would run with. */
  recipe: Recipe;
  /** What that changes of what it has now. */
  changes: Difference[];
  /** What it has of its own, against the recipe it followed so far, and keeps. */
  own: Difference[];
}

/**
 * What becomes of a character's recipe where it takes a shared one: it follows that, and keeps what is its own.
 * @param now what it has
 * @param followed the version of a shared recipe that it followed so far; without one everything that is set is its own
 * @param keepOwn false: what is its own goes too
 */
export function takeShared(now: Recipe, shared: SharedRecipe, followed: SharedRecipe | null, keepOwn = true): Taken {
  const own = keepOwn ? differences(followed ? recipeOf(followed) : defaultRecipe(), now) : [],
    recipe = { ...withDifferences(recipeOf(shared), own), ...(now.mixes && { mixes: now.mixes }) };
  // What the shared recipe says as well is nobody's own.
  return { recipe, changes: differences(now, recipe), own: differences(recipeOf(shared), recipe) };
}

/** Whatever a recipe names, as far as a character is known: as it came, and as it was made. */
export type KnownNames = Record<'material' | 'part' | 'joint' | 'morph', readonly string[]>;

export const namesKnown = (...summaries: readonly (CharacterSummary | null | undefined)[]): KnownNames => {
  const all = summaries.flatMap((one) => one ?? []),
    names = (of: (one: CharacterSummary) => readonly string[]) => [...new Set(all.flatMap(of))];
  return {
    material: names(({ materials }) => materials.map(({ name }) => name)),
    part: names(({ parts }) => parts.map(({ id }) => id)),
    joint: names(({ joints }) => joints.map(({ name }) => name)),
    morph: names(({ morphTargets }) => morphTargets),
  };
};

/** A name that a recipe speaks of and the character doesn't have. */
export interface NameMissing {
  step: string;
  kind: keyof KnownNames;
  name: string;
  /** The end of a sentence that says which is nearest; empty where none is. */
  nearest: string;
}

/** Names in a recipe that nothing of a character is called by: what is set for them would do nothing. */
export function namesMissing(recipe: Recipe, known: KnownNames): NameMissing[] {
  return recipe.steps.flatMap(({ id, enabled, settings }) => {
    const step = stepById(id);
    if (!step || !enabled) return [];
    return Object.entries(settings).flatMap(([setting, value]) => {
      const kind = settingWords(step, setting).names;
      if (!kind || !value || typeof value !== 'object') return [];
      const names = Array.isArray(value) ? value.map(String) : Object.keys(value);
      return names
        .filter((name) => !known[kind].includes(name))
        .map((name) => ({ step: id, kind, name, nearest: nearestName(name, known[kind]) }));
    });
  });
}
