import type { CharacterSummary } from './character-summary.ts';

/** A character that works where the target is for. */
export interface Sample {
  summary: CharacterSummary;
  files: readonly { path: string; bytes: number; used?: boolean }[];
}
/** What a field of the learned target was taken from. */
export interface Learned {
  field: string;
  says: string;
}
