import {
  type Deciding,
  defaultRecipe,
  parseRecipe,
  type Recipe,
  type SharedRecipe,
  SharedRecipeSchema,
} from '@dimetra/core';
import * as v from 'valibot';
import { readJson } from './find-target.ts';

/** What is done, and who says so. */
export interface Followed {
  recipe: Recipe;
  decided: Deciding;
}

/** The recipe of a JSON file, or the one that nobody wrote. @throws ProblemError */
export async function readRecipe(path: string | undefined, by: string | undefined): Promise<Followed> {
  const said = path ? await readJson(path) : undefined;
  return {
    recipe: said === undefined ? defaultRecipe() : parseRecipe(said),
    decided: { ...(by && { by }), follows: sharedIn(said) },
  };
}

/** A recipe that was kept and exported is followed by whom it converts; steps alone are nobody's. */
function sharedIn(said: unknown): SharedRecipe | null {
  const { success, output } = v.safeParse(SharedRecipeSchema, said);
  return success ? output : null;
}
