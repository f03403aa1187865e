import * as v from 'valibot';
import type { Check, LevelRow, Stated } from '../check/index.ts';
import type { CharacterSummary } from '../inspect/index.ts';
import type { Parity } from '../parity/index.ts';
import type { Finding } from '../problem.ts';
import type { Archive } from './conversion.ts';
import type { Decided } from './decided.ts';
import type { GradeRow } from './grade-row.ts';
import type { StatedModel } from './judge.ts';
import type { Manifest } from './package.ts';

/** Raised whenever what is kept has another shape. */
export const CONCLUSION_VERSION = 19;

/** What follows the last step and is worth keeping: the same result for the same target concludes the same. */
export interface Conclusion {
  version: typeof CONCLUSION_VERSION;
  source: CharacterSummary;
  result: CharacterSummary;
  checks: Check[];
  parity: Parity;
  stated: Stated;
  /** What finishing had to say. */
  delivery: Finding[];
  sealed: Manifest;
  html: string;
  archive: Archive;
  levels?: LevelRow[];
  models?: StatedModel[];
  grades?: GradeRow[];
  decided: Decided;
  licence: string[];
}
export type Concluded = Omit<Conclusion, 'version' | 'archive'>;
/** Written by ourselves only; the version says whether it is of this shape. */
export const isConclusion = (value: unknown): value is Conclusion =>
  v.is(
    v.looseObject({
      version: v.literal(CONCLUSION_VERSION),
      archive: v.object({ sha256: v.string(), bytes: v.number() }),
    }),
    value,
  );
