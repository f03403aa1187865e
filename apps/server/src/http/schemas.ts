import { FigureSchema, isJointRole, RecipeSchema, TargetSchema } from '@dimetra/core';
import * as v from 'valibot';

/** Request bodies; the OpenAPI description is made from these. */
export const NewConversionSchema = v.object({
  characterId: v.pipe(v.string(), v.uuid()),
  targetId: v.pipe(v.string(), v.maxLength(64)),
});
export const SaveRecipeSchema = v.object({ recipe: RecipeSchema, version: v.pipe(v.number(), v.integer()) });
export const PiecesSchema = v.object({
  hashes: v.pipe(v.array(v.pipe(v.string(), v.regex(/^[0-9a-f]{64}$/))), v.maxLength(20_000)),
});
export const GoBackSchema = v.object({ copyOf: v.pipe(v.string(), v.uuid()) });
export const RenameSchema = v.object({ name: v.pipe(v.string(), v.trim(), v.minLength(1), v.maxLength(120)) });
export const LearnFigureSchema = v.object({
  characterId: v.pipe(v.string(), v.uuid()),
  title: v.pipe(v.string(), v.trim(), v.minLength(1), v.maxLength(80)),
});
/** Corrections by hand: joint name → role. */
export const RememberFigureSchema = v.object({
  characterId: v.pipe(v.string(), v.uuid()),
  roles: v.pipe(
    v.record(v.pipe(v.string(), v.maxLength(200)), v.pipe(v.string(), v.check(isJointRole, 'a role'))),
    v.check((roles) => Object.keys(roles).length > 0, 'at least one joint'),
  ),
});
export { FigureSchema, TargetSchema };
