import * as v from 'valibot';
import { Count } from './results.ts';

/** Bytes that are kept, and for what: what several need is counted for each, and once in the total. */
export const StoredSchema = v.object({
  total: Count,
  /** What arrived, and every revision. */
  characters: Count,
  /** Results shown and packages. */
  runs: Count,
  /** Results of steps, kept so that they need not be made again. */
  results: Count,
  arriving: Count,
  /** What nobody needs any more: the next sweep lets it go. */
  unclaimed: Count,
});
export type Stored = v.InferOutput<typeof StoredSchema>;
