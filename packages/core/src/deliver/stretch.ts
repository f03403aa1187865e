import type { RunOptions } from '../recipe/index.ts';
import type { Station } from '../step.ts';

/** Shares of the whole that the three stretches of a conversion take, for progress. */
export const STRETCH = { steps: 0.25, writing: 0.1, parity: 0.55, finish: 0.1 };

/** Progress of a part of the whole. */
export const stretch = (
  context: RunOptions['context'],
  from: number,
  share: number,
  at?: Station,
): RunOptions['context'] => ({
  ...context,
  progress: (fraction, message, station = at) => context.progress(from + share * fraction, message, station),
});
