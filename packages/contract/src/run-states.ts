export const RUN_STATES = ['queued', 'running', 'cancelling', 'cancelled', 'done', 'failed'] as const;
export type RunState = (typeof RUN_STATES)[number];
/** Waiting or at work: a conversion has at most one of these. */
export const HELD_STATES = ['queued', 'running'] as const satisfies readonly RunState[];
/** Waiting, at work or being stopped. */
export const isActive = ({ state }: { state: RunState }): boolean =>
  state === 'cancelling' || HELD_STATES.some((held) => held === state);
