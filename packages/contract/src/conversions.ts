import { RecipeSchema } from '@dimetra/core';
import * as v from 'valibot';
import { Count, Id, Instant, KeptRecipe } from './results.ts';

export const ConversionSchema = v.object({
  id: Id,
  characterId: Id,
  targetId: v.string(),
  recipe: KeptRecipe,
  version: Count,
  updatedAt: Instant,
});
export type Conversion = v.InferOutput<typeof ConversionSchema>;
export const NewConversionSchema = v.object({ characterId: Id, targetId: v.pipe(v.string(), v.maxLength(64)) });
/** `version`: of the recipe that the change was made to. */
export const SaveRecipeSchema = v.object({ recipe: RecipeSchema, version: v.pipe(v.number(), v.integer()) });
