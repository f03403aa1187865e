import { RecipeSchema } from '@dimetra/core';
import * as v from 'valibot';
import { FollowsSchema } from './recipes.ts';
import { Count, Id, Instant, KeptRecipe } from './results.ts';

export const ConversionSchema = v.object({
  id: Id,
  characterId: Id,
  targetId: v.string(),
  recipe: KeptRecipe,
  follows: v.nullable(FollowsSchema),
  version: Count,
  updatedAt: Instant,
});
export type Conversion = v.InferOutput<typeof ConversionSchema>;
export const NewConversionSchema = v.object({ characterId: Id, targetId: v.pipe(v.string(), v.maxLength(64)) });
/** `version`: of the recipe that the change was made to. */
export const SaveRecipeSchema = v.object({
  recipe: RecipeSchema,
  version: v.pipe(v.number(), v.integer()),
  /** The shared recipe that it follows from now on; null for none. What is left out stays. */
  follows: v.optional(v.nullable(FollowsSchema)),
});
