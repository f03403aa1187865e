import type { GLTF } from '@gltf-transform/core';
import type { Check, Verdict } from '../check/index.ts';
import type { InputFile } from '../formats/index.ts';
import type { CharacterSummary } from '../inspect/index.ts';
import type { StartAside } from '../parity/index.ts';
import type { KeptDocument, Recipe, RunOptions, Source, StepResult } from '../recipe/index.ts';
import type { Target } from '../targets/index.ts';
import type { Deciding } from './decided.ts';
import type { SecondEyes } from './judge.ts';
import type { Manifest } from './package.ts';
import type { Report } from './report.ts';

export interface Conversion {
  report: Report;
  steps: StepResult[];
  blocking: Check[];
  verdict: Verdict;
  sealed: Manifest;
  html: string;
  /** Made now, not taken from the store: the files of the package. */
  made: InputFile[] | null;
  /** What stands in the store now, where there is one: the result before delivery, as the stage shows it, and the package as one archive. */
  kept: { manifest: GLTF.IGLTF; archive: Archive } | null;
  /** Seconds that measuring against the source took; 0 where the figures were known. */
  measuringSeconds: number;
}

export interface Archive {
  sha256: string;
  bytes: number;
}

export interface ConvertOptions extends RunOptions {
  name: string;
  source: Source;
  target: Target;
  recipe: Recipe;
  /** Who decided, and which shared recipe is followed: for the report. */
  decided?: Deciding;
  /** ISO date written into the manifest; part of the input, so that the same input gives the same bytes. */
  created: string;
  samples?: number;
  /** Whether source and result are drawn and compared; left out, they are. */
  appearance?: boolean;
  /** A second thread to measure along, where a core is free. */
  aside?: StartAside;
  /** Looks at the delivered bytes. */
  eyes: SecondEyes;
  /** Hears of a new result once the last step is done, before it is measured and packed; only where there is a store that it stands in. */
  onResult?(kept: KeptDocument, result: CharacterSummary): void | Promise<void>;
}
