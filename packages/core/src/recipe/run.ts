import type { Document, GLTF } from '@gltf-transform/core';
import * as v from 'valibot';
import { copyDocument } from '../character/index.ts';
import { createGltfIO, packDocument, piecesOf, unpackDocument } from '../formats/index.ts';
import type { Stage } from '../parity/index.ts';
import { type Finding, throwIfAborted } from '../problem.ts';
import type { Target } from '../targets/index.ts';
import { codeOf } from './code-of.ts';
import { parseRecipe, type Recipe } from './recipe.ts';
import type { Measure } from '../measures.ts';
import type { Station, StepContext } from '../step.ts';
import { STEPS } from './steps.ts';
import { unknownNames, unknownSettings } from './unknown-names.ts';

/** What a step did. */
export interface StepResult {
  id: string;
  station: Station;
  title: string;
  cached: boolean;
  seconds: number;
  measures: Measure[];
  findings: Finding[];
}

/** Names a document in a store and says what pieces it is made of. */
export interface KeptDocument {
  /** Of a step's result: hash(input key + step + code it runs + settings + what it reads of the target) */
  key: string;
  manifest: GLTF.IGLTF;
}

/** What a step did and left behind: enough to go on from it without doing it again. */
export type KeptStep = StepResult &
  KeptDocument & {
    /** There was nothing to do: the document is the one before. */
    idle?: boolean;
  };

/** Where step results are kept between runs. Pieces are stored before the result that names them. */
export interface StepStore {
  get(key: string): Promise<Omit<KeptStep, 'cached' | 'seconds'> | null>;
  put(result: KeptStep, pieces: ReadonlyMap<string, Uint8Array>): Promise<void>;
  piece(hashes: readonly string[]): Promise<ReadonlyMap<string, Uint8Array>>;
  /** What was concluded under a key after the last step; stores that don't keep it leave both out. */
  recall?(key: string): Promise<unknown>;
  remember?(key: string, value: unknown, pieces: ReadonlyMap<string, Uint8Array>): Promise<void>;
}

/** A character to start from; its document is only asked for where something has to be computed. */
export interface Source {
  /** What it is called in a store; not asked for without one. */
  manifest?: GLTF.IGLTF;
  document(): Promise<Document>;
  /** It isn't asked for again: whoever holds it may let it go. */
  release?(): void;
}

export interface RecipeRun {
  steps: StepResult[];
  /** The result as it stands in the store, where there is one: equal keys, equal results. */
  kept: KeptDocument | null;
  /** The result, the caller's own to change; built from its pieces where every step was known. */
  document(): Promise<Document>;
  /** What stood after each step that did something, in order, for whoever asks; only where `keepStages` was said. */
  stages: Stage[];
}

export interface RunOptions {
  context: StepContext;
  /** Without one nothing is named, packed or kept. */
  store?: StepStore;
  /** What stands for the code of a step in keys; see {@link codeOf}. */
  code?(id: string): string;
  /** Whether documents between steps can be asked for afterwards. */
  keepStages?: boolean;
  /** Hears of every finished step. */
  onStep?: (result: StepResult) => void | Promise<void>;
}

/**
 * Runs a recipe from `source` for `target`. Each step's result is looked up by its key first, so that a second
 * run, or one after a crash, starts at the first step whose key is new. `source` is not changed.
 */
export async function runRecipe(
  source: Source,
  target: Target,
  recipe: Recipe,
  options: RunOptions,
): Promise<RecipeRun> {
  const { context, store, onStep, code = codeOf } = options;
  const io = await createGltfIO();
  const checked = parseRecipe(recipe);
  const hashText = (text: string) => context.hash(new TextEncoder().encode(text));
  let kept: KeptDocument | null =
    store && source.manifest ? { key: hashText(stable(source.manifest)), manifest: source.manifest } : null;
  let document: Document | null = null;
  const steps: StepResult[] = [],
    stages: Stage[] = [];
  const keepStage = (id: string, title: string, standing: KeptDocument | null, made: Document | null) => {
    if (!options.keepStages) return;
    const copy = standing ? null : made && copyDocument(made);
    stages.push({
      id,
      title,
      document: async () => copy ?? (await fromPieces(io, (standing as KeptDocument).manifest, store)),
    });
  };
  const open = async () =>
    (document ??=
      !kept || kept.manifest === source.manifest
        ? copyDocument(await source.document())
        : await fromPieces(io, kept.manifest, store));
  const entryOf = (id: string) => checked.steps.find((entry) => entry.id === id),
    isOn = (id: string) => entryOf(id)?.enabled !== false,
    settingsOf = (id: string) => (isOn(id) ? (entryOf(id)?.settings ?? {}) : {}),
    active = STEPS.filter((step) => isOn(step.id) && !step.givesWay?.(settingsOf));
  for (const [i, step] of active.entries()) {
    throwIfAborted(context.signal);
    const said = settingsOf(step.id),
      settings = v.parse(step.settings, said),
      slips = unknownSettings(step, said);
    const report = (fraction: number, message: string) =>
      context.progress((i + Math.min(1, fraction)) / active.length, message, step.station);
    report(0, step.title);
    if (kept) {
      kept = {
        ...kept,
        key: hashText(
          [kept.key, step.id, code(step.id), stable(settings), stable(step.reads(target) ?? null)].join('\n'),
        ),
      };
      const known = await store?.get(kept.key);
      if (known) {
        const { key, manifest, idle, ...did } = known;
        kept = { key, manifest };
        if (idle) continue;
        document = null;
        keepStage(did.id, did.title, kept, null);
        const result = { ...did, findings: [...slips, ...did.findings], cached: true, seconds: 0 };
        steps.push(result);
        await onStep?.(result);
        continue;
      }
    }
    const working = await open();
    const started = performance.now();
    const { id, station, title } = step;
    if (!step.applies(working, target, settings as never)) {
      const nothing = { id, station, title, cached: false, seconds: 0, measures: [], findings: [] };
      if (kept) await store?.put({ ...nothing, ...kept, idle: true }, new Map());
      continue;
    }
    const unknown = unknownNames(step, said, working);
    const { measures, findings: found } = await step.run(working, settings, target, { ...context, progress: report });
    const findings = [...unknown, ...found];
    const packed = kept && (await packDocument(io, working, context.hash));
    const result: StepResult = {
      id,
      station,
      title,
      cached: false,
      seconds: (performance.now() - started) / 1000,
      measures,
      findings,
    };
    if (kept && packed) {
      kept = { ...kept, manifest: packed.manifest };
      await store?.put({ ...result, ...kept }, packed.pieces);
    }
    keepStage(id, title, kept, working);
    // What isn't part of the key isn't part of what is kept.
    const told = slips.length ? { ...result, findings: [...slips, ...findings] } : result;
    steps.push(told);
    await onStep?.(told);
  }
  context.progress(1, 'done');
  return { steps, kept, document: open, stages };
}

/** Only reached where a result was found in the store, so that there is one. */
async function fromPieces(
  io: Awaited<ReturnType<typeof createGltfIO>>,
  manifest: GLTF.IGLTF,
  store: StepStore | undefined,
): Promise<Document> {
  const pieces = (await store?.piece(piecesOf(manifest))) ?? new Map<string, Uint8Array>();
  return unpackDocument(io, manifest, (hash) => pieces.get(hash));
}

/** JSON with keys in order, so that equal settings give equal text. */
export function stable(value: unknown): string {
  return JSON.stringify(value, (_, inner) =>
    inner && typeof inner === 'object' && !Array.isArray(inner)
      ? Object.fromEntries(Object.entries(inner).sort(([a], [b]) => (a < b ? -1 : 1)))
      : inner,
  );
}
