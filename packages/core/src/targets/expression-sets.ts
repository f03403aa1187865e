import * as v from 'valibot';
import { parseOrTell, ProblemError } from '../problem.ts';
import { CONCEPTS, type ConceptId, FEATURES } from './concepts.ts';

const concept = v.picklist(Object.keys(CONCEPTS) as ConceptId[]),
  name = v.pipe(v.string(), v.trim(), v.minLength(1), v.maxLength(200));

/** A named set of expressions that a target asks for: each with what it means. Stored and exchanged as JSON; version 1. */
export const ExpressionSetSchema = v.object({
  schema: v.literal(1),
  id: v.pipe(v.string(), v.regex(/^[a-z0-9][a-z0-9-]{0,63}$/, 'lower-case letters, digits and hyphens')),
  title: v.pipe(v.string(), v.trim(), v.minLength(1), v.maxLength(80)),
  entries: v.pipe(
    v.array(
      v.object({
        name,
        /** What the face does in it; names alone where left out. */
        means: v.optional(concept),
        side: v.optional(v.picklist(['left', 'right'])),
        /** Other names it is known by. */
        called: v.optional(v.array(name), []),
        /** Which way places of the face go, left then right in the order of FEATURES, of length one: learned from a sample. */
        like: v.optional(
          v.pipe(v.array(v.pipe(v.number(), v.minValue(-1), v.maxValue(1))), v.length(2 * FEATURES.length)),
        ),
        /** What stands in where it isn't there: things the face can do, with weights; the first that can be made is taken. */
        else: v.optional(v.array(v.record(concept, v.pipe(v.number(), v.minValue(-2), v.maxValue(2)))), []),
        /** It is no loss where it can't be had. */
        optional: v.optional(v.boolean(), false),
      }),
    ),
    v.minLength(1),
    v.maxLength(1000),
    v.check((entries) => new Set(entries.map((entry) => entry.name)).size === entries.length, 'every name once'),
  ),
});
export type ExpressionSet = v.InferOutput<typeof ExpressionSetSchema>;
export type ExpressionEntry = ExpressionSet['entries'][number];

const set = (id: string, title: string, entries: v.InferInput<typeof ExpressionSetSchema>['entries']) =>
  v.parse(ExpressionSetSchema, { schema: 1, id, title, entries });
type Entry = v.InferInput<typeof ExpressionSetSchema>['entries'][number];
const both = (entryName: string, means: ConceptId): Entry[] => [
  { name: `${entryName}_left`, means, side: 'left' },
  { name: `${entryName}_right`, means, side: 'right' },
];

export const EXPRESSION_SETS: readonly ExpressionSet[] = [
  // VRM 1.0, VRMC_vrm expressions: the presets (open standard, VRM consortium).
  set('vrm-1', 'VRM 1.0 presets', [
    { name: 'happy', means: 'happy', called: ['joy', 'fun'], else: [{ smile: 1, cheek_raise: 0.6 }, { smile: 1 }] },
    { name: 'angry', means: 'angry', else: [{ brow_down: 1, frown: 0.6 }, { brow_down: 1 }] },
    { name: 'sad', means: 'sad', called: ['sorrow'], else: [{ worry: 1, frown: 0.8 }, { frown: 1 }] },
    { name: 'relaxed', means: 'relaxed', else: [{ smile: 0.35, blink: 0.25 }] },
    { name: 'surprised', means: 'surprise', else: [{ brow_up: 1, eye_wide: 1, jaw_open: 0.4 }] },
    { name: 'aa', means: 'say_aa', else: [{ jaw_open: 0.75 }] },
    { name: 'ih', means: 'say_ih', else: [{ say_ee: 0.6 }] },
    { name: 'ou', means: 'say_oo', else: [{ pucker: 1, jaw_open: 0.15 }] },
    { name: 'ee', means: 'say_ee', else: [{ lips_wide: 1, jaw_open: 0.15 }] },
    { name: 'oh', means: 'say_oh', else: [{ pucker: 0.5, jaw_open: 0.5 }] },
    { name: 'blink', means: 'blink' },
    { name: 'blinkLeft', means: 'blink', side: 'left' },
    { name: 'blinkRight', means: 'blink', side: 'right' },
    { name: 'lookUp', means: 'gaze_up' },
    { name: 'lookDown', means: 'gaze_down' },
    { name: 'lookLeft', means: 'gaze_left' },
    { name: 'lookRight', means: 'gaze_right' },
  ]),
  // By place and manner of articulation (International Phonetic Association, Handbook, 1999); names are ours.
  set('speech', 'Mouth shapes for speech', [
    { name: 'lips_closed', means: 'say_mm', else: [{ lips_thin: 0.6 }] },
    { name: 'lip_on_teeth', means: 'say_ff', else: [{ lips_thin: 0.4, jaw_open: 0.08 }] },
    { name: 'tongue_on_teeth', means: 'say_th', else: [{ say_dd: 1 }, { jaw_open: 0.2 }] },
    { name: 'tongue_on_ridge', means: 'say_dd', else: [{ jaw_open: 0.2, lips_wide: 0.2 }] },
    { name: 'tongue_on_palate', means: 'say_ch', else: [{ pucker: 0.5, jaw_open: 0.12 }] },
    { name: 'tongue_back', means: 'say_kk', else: [{ jaw_open: 0.25 }] },
    { name: 'hissing', means: 'say_ss', else: [{ lips_wide: 0.6, jaw_open: 0.08 }] },
    { name: 'rhotic', means: 'say_rr', else: [{ pucker: 0.35, jaw_open: 0.2 }] },
    { name: 'lips_rounding', means: 'say_ww', else: [{ pucker: 1 }] },
    { name: 'vowel_open', means: 'say_aa', else: [{ jaw_open: 0.75 }] },
    { name: 'vowel_mid_front', means: 'say_eh', else: [{ say_aa: 0.5 }, { jaw_open: 0.4, lips_wide: 0.4 }] },
    { name: 'vowel_close_front', means: 'say_ee', else: [{ lips_wide: 1, jaw_open: 0.15 }] },
    { name: 'vowel_mid_back', means: 'say_oh', else: [{ pucker: 0.5, jaw_open: 0.5 }] },
    { name: 'vowel_close_back', means: 'say_oo', else: [{ pucker: 1, jaw_open: 0.15 }] },
  ]),
  // By region and direction of movement; names are ours.
  set('face', 'Movements of the face', [
    ...both('brow_raise', 'brow_up'),
    ...both('brow_lower', 'brow_down'),
    { name: 'brow_inner_raise', means: 'worry', else: [{ brow_up: 0.7, brow_down: 0.3 }] },
    ...both('lid_close', 'blink'),
    ...both('lid_widen', 'eye_wide'),
    ...both('lid_tighten', 'squint'),
    { name: 'eyes_up', means: 'gaze_up' },
    { name: 'eyes_down', means: 'gaze_down' },
    { name: 'eyes_left', means: 'gaze_left' },
    { name: 'eyes_right', means: 'gaze_right' },
    ...both('nose_wrinkle', 'sneer'),
    ...both('cheek_raise', 'cheek_raise'),
    ...both('cheek_fill', 'cheek_puff'),
    ...both('mouth_corner_up', 'smile'),
    ...both('mouth_corner_down', 'frown'),
    { name: 'mouth_narrow', means: 'pucker' },
    { name: 'mouth_widen', means: 'lips_wide' },
    { name: 'lips_press', means: 'lips_thin', else: [{ say_mm: 1 }] },
    { name: 'jaw_drop', means: 'jaw_open' },
  ]),
];

/** @throws ProblemError expressions.invalid, naming the field, or expressions.unknown */
export function expressionSetOf(said: string | unknown): ExpressionSet {
  if (typeof said === 'string') {
    const found = EXPRESSION_SETS.find(({ id }) => id === said);
    if (found) return found;
    throw new ProblemError(
      'expressions.unknown',
      `There is no set of expressions “${said}”; there are ${EXPRESSION_SETS.map(({ id }) => `“${id}”`).join(', ')}.`,
      said,
    );
  }
  return parseOrTell(ExpressionSetSchema, said, { code: 'expressions.invalid', what: 'The set of expressions' });
}
