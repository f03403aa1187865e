import * as v from 'valibot';
import { Count, Id, Instant } from './results.ts';

/** A process that takes runs from the queue: what it may, how it is, and what it is at. */
export const WorkerRowSchema = v.object({
  id: Id,
  name: v.string(),
  pid: Count,
  threads: Count,
  /** Memory that one run may take. */
  memoryMb: Count,
  startedAt: Instant,
  heardAt: Instant,
  /** `left`: it ended by itself; `silent`: nothing was heard of it, and others take up what it was at. */
  state: v.picklist(['working', 'idle', 'silent', 'left']),
  /** Runs that it brought to an end. */
  finished: Count,
  runs: v.array(
    v.object({
      runId: Id,
      character: v.string(),
      characterId: Id,
      targetId: v.string(),
      progress: v.number(),
      message: v.string(),
    }),
  ),
});
export type WorkerRow = v.InferOutput<typeof WorkerRowSchema>;
