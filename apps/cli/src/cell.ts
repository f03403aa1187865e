import type { Check, Verdict } from '@dimetra/core';

/** One character for one target. */
export interface Cell {
  character: string;
  target: string;
  /** Below the folder that was named. */
  folder: string;
  /** `unchanged`: it lay there already, made of the same. */
  state: 'delivered' | 'blocked' | 'failed' | 'unchanged';
  verdict?: Verdict;
  checks: Check[];
  files: { path: string; bytes: number; sha256: string }[];
  /** Why it failed. */
  problem?: string;
  /** Rules that are worse than the baseline allows. */
  drift: string[];
  seconds: number;
}
