import * as v from 'valibot';

/** Every refusal and failure (RFC 9457), with the code of the core's error. */
export const ProblemSchema = v.object({
  type: v.pipe(v.string(), v.startsWith('urn:dimetra:')),
  title: v.string(),
  status: v.pipe(v.number(), v.integer(), v.minValue(400), v.maxValue(599)),
  code: v.string(),
  detail: v.string(),
  where: v.optional(v.string()),
});
export type Problem = v.InferOutput<typeof ProblemSchema>;
