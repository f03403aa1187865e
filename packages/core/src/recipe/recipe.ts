import * as v from 'valibot';
import { parseOrTell, ProblemError } from '../problem.ts';
import { stepById, STEPS } from './steps.ts';

/** Mixes of morphs that somebody kept under a name, for dialling; nothing runs with them. */
export const MixesSchema = v.pipe(
  v.array(
    v.object({
      name: v.pipe(v.string(), v.trim(), v.minLength(1), v.maxLength(200)),
      weights: v.record(v.string(), v.pipe(v.number(), v.finite(), v.minValue(-10), v.maxValue(10))),
    }),
  ),
  v.maxLength(500),
);
export type Mix = v.InferOutput<typeof MixesSchema>[number];

/** @throws ProblemError mixes.invalid, naming the field */
export const parseMixes = (value: unknown): Mix[] =>
  parseOrTell(MixesSchema, value, { code: 'mixes.invalid', what: 'The list of mixes' });

/** A recipe as stored: which steps run and with which settings; what is not set comes from the target. */
export const RecipeSchema = v.object({
  schema: v.literal(1),
  steps: v.array(
    v.object({
      id: v.string(),
      enabled: v.optional(v.boolean(), true),
      settings: v.optional(v.record(v.string(), v.unknown()), {}),
    }),
  ),
  mixes: v.optional(MixesSchema),
});
export type Recipe = v.InferOutput<typeof RecipeSchema>;

/** Every step, switched on, with nothing set. */
export const defaultRecipe = (): Recipe => ({
  schema: 1,
  steps: STEPS.map((step) => ({ id: step.id, enabled: true, settings: {} })),
});

/** @throws ProblemError recipe.invalid, naming the step and the setting */
export function parseRecipe(value: unknown): Recipe {
  const parsed = v.safeParse(RecipeSchema, value);
  if (!parsed.success)
    throw new ProblemError(
      'recipe.invalid',
      `The recipe can't be used: ${parsed.issues[0].message}.`,
      parsed.issues[0].path?.map((item) => String(item.key)).join('.'),
    );
  for (const entry of parsed.output.steps) {
    const step = stepById(entry.id);
    if (!step)
      throw new ProblemError(
        'recipe.unknown-step',
        `The recipe names the step “${entry.id}”, which doesn't exist.`,
        entry.id,
      );
    const settings = v.safeParse(step.settings, entry.settings);
    if (!settings.success) {
      const issue = settings.issues[0];
      const path = issue.path?.map((item) => String(item.key)).join('.') ?? '';
      throw new ProblemError(
        'recipe.setting',
        `In step “${step.title}”, ${path} should be ${issue.expected ?? issue.message}, and is ${issue.received}.`,
        `${entry.id}.${path}`,
      );
    }
  }
  return parsed.output;
}
