import type { Target } from '../targets/index.ts';
import type { Check } from './judgement.ts';

/** Answers as a target weighs them: some rules it only notes, others stop delivery there that don't elsewhere. */
export const weighed = (checks: readonly Check[], { rules = {} }: Pick<Target, 'rules'>): Check[] =>
  checks.map((check) => (rules[check.rule] ? { ...check, blocking: rules[check.rule] === 'blocks' } : check));
