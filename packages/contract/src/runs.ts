import { STATIONS } from '@dimetra/core';
import * as v from 'valibot';
import {
  CheckSchema,
  Count,
  FindingSchema,
  Id,
  Instant,
  KeptRecipe,
  KeptTarget,
  MeasureSchema,
  ParitySchema,
  SummarySchema,
} from './results.ts';
import { RUN_STATES } from './run-states.ts';

/** `key`: under which its result is kept. */
export const StepSummarySchema = v.object({
  key: v.optional(v.string()),
  id: v.string(),
  station: v.string(),
  title: v.string(),
  cached: v.boolean(),
  seconds: v.number(),
  measures: v.array(MeasureSchema),
  findings: v.array(FindingSchema),
});
export type StepSummary = v.InferOutput<typeof StepSummarySchema>;

const entries = {
  id: Id,
  conversionId: Id,
  revisionId: Id,
  state: v.picklist(RUN_STATES),
  progress: v.pipe(v.number(), v.minValue(0), v.maxValue(1)),
  message: v.string(),
  /** Where the character is on the line while the run is at work. */
  station: v.nullable(v.picklist(STATIONS)),
  error: v.nullable(v.looseObject({ code: v.string(), message: v.string() })),
  createdAt: Instant,
  startedAt: v.nullable(Instant),
  finishedAt: v.nullable(Instant),
  attempts: Count,
  deliveryId: v.nullable(Id),
  deliveryBytes: v.nullable(Count),
};
/** A run in a list of one conversion's, or of all, where it says whose it is: counted, not told. */
export const RunRowSchema = v.object({
  ...entries,
  /** Steps that are done, and how many of them were known before. */
  done: Count,
  known: Count,
  character: v.optional(v.string()),
  characterId: v.optional(Id),
  targetId: v.optional(v.string()),
});
export type RunRow = v.InferOutput<typeof RunRowSchema>;
export const RunDetailSchema = v.object({
  ...entries,
  steps: v.array(StepSummarySchema),
  checks: v.nullable(v.array(CheckSchema)),
  recipe: KeptRecipe,
  target: KeptTarget,
  result: v.nullable(SummarySchema),
  parity: v.nullable(ParitySchema),
  deliveryFiles: v.nullable(v.array(v.looseObject({ path: v.string(), bytes: Count }))),
});
export type RunDetail = v.InferOutput<typeof RunDetailSchema>;
/** `already`: one was waiting or at work, and is the answer. */
/** Who asks, for the report. */
export const StartRunSchema = v.object({ by: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(120))) });
export const RunAskedSchema = v.object({ id: Id, already: v.optional(v.literal(true)) });
