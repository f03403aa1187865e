import { type SharedRecipe, SharedRecipeSchema } from '@dimetra/core';
import * as v from 'valibot';
import { Count, Id, Instant } from './results.ts';

export { SharedRecipeSchema };

/** Which version of which shared recipe a conversion follows. */
export const FollowsSchema = v.object({
  id: v.pipe(v.string(), v.maxLength(64)),
  version: v.pipe(v.number(), v.integer(), v.minValue(1)),
});
export type Follows = v.InferOutput<typeof FollowsSchema>;

/** A recipe as it was kept may name steps of an older program: its shape is not held to this one's settings. */
const Kept = SharedRecipeSchema as v.GenericSchema<SharedRecipe, SharedRecipe>;
/** The newest version of a shared recipe, all of them, and who follows which. */
export const SharedRecipeRowSchema = v.object({
  latest: Kept,
  keptAt: Instant,
  versions: v.array(Kept),
  followers: v.array(v.object({ conversionId: Id, characterId: Id, targetId: v.string(), version: Count })),
});
export type SharedRecipeRow = v.InferOutput<typeof SharedRecipeRowSchema>;
