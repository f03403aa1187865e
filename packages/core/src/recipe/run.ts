import type { Document, GLTF } from '@gltf-transform/core';
import * as v from 'valibot';
import { createGltfIO, packDocument, unpackDocument } from '../formats/index.ts';
import { type Finding, throwIfAborted } from '../problem.ts';
import type { Target } from '../targets/index.ts';
import { parseRecipe, type Recipe } from './recipe.ts';
import type { Measure, Station, StepContext } from './step.ts';
import { STEPS } from './steps.ts';

/** What a step left behind: enough to go on from it without doing it again. */
export interface StepResult {
  /** hash(input key + step + version + settings + what it reads of the target) */
  key: string;
  id: string;
  station: Station;
  title: string;
  cached: boolean;
  seconds: number;
  measures: Measure[];
  findings: Finding[];
  manifest: GLTF.IGLTF;
}

/** Where step results are kept between runs. Pieces are stored before the result that names them. */
export interface StepStore {
  get(key: string): Promise<Omit<StepResult, 'cached' | 'seconds'> | null>;
  put(result: StepResult, pieces: ReadonlyMap<string, Uint8Array>): Promise<void>;
  piece(hashes: readonly string[]): Promise<ReadonlyMap<string, Uint8Array>>;
}

export interface RunOptions {
  context: StepContext;
  store?: StepStore;
  /** Hears of every finished step. */
  onStep?: (result: StepResult) => void | Promise<void>;
}

/**
 * Runs a recipe from `source` for `target`. Each step's result is looked up by its key first, so that a second
 * run, or one after a crash, starts at the first step whose key is new. `source` is not changed.
 */
export async function runRecipe(source: GLTF.IGLTF, sourceDocument: Document, target: Target, recipe: Recipe, options: RunOptions): Promise<{ document: Document; manifest: GLTF.IGLTF; steps: StepResult[] }> {
  const { context, store, onStep } = options;
  const io = await createGltfIO();
  const checked = parseRecipe(recipe);
  const hashText = (text: string) => context.hash(new TextEncoder().encode(text));
  let key = hashText(stable(source));
  let manifest = source;
  let document: Document | null = null;
  const pieces = new Map<string, Uint8Array>();
  const results: StepResult[] = [];
  const active = STEPS.filter((step) => checked.steps.find((entry) => entry.id === step.id)?.enabled !== false);
  for (const [i, step] of active.entries()) {
    throwIfAborted(context.signal);
    const settings = v.parse(step.settings, checked.steps.find((entry) => entry.id === step.id)?.settings ?? {});
    key = hashText([key, step.id, step.version, stable(settings), stable(target)].join('\n'));
    const report = (fraction: number, message: string) => context.progress((i + Math.min(1, fraction)) / active.length, message);
    report(0, step.title);
    const known = await store?.get(key);
    if (known) {
      manifest = known.manifest;
      document = null;
      const result = { ...known, cached: true, seconds: 0 };
      results.push(result);
      await onStep?.(result);
      continue;
    }
    document ??= await load(io, manifest, source, sourceDocument, store, pieces, context);
    const started = performance.now();
    if (!step.applies(document, target)) continue;
    const { measures, findings } = await step.run(document, settings, target, { ...context, progress: report });
    const packed = await packDocument(io, document, context.hash);
    manifest = packed.manifest;
    for (const [hash, bytes] of packed.pieces) pieces.set(hash, bytes);
    const result: StepResult = { key, id: step.id, station: step.station, title: step.title, cached: false, seconds: (performance.now() - started) / 1000, measures, findings, manifest };
    await store?.put(result, packed.pieces);
    results.push(result);
    await onStep?.(result);
  }
  document ??= await load(io, manifest, source, sourceDocument, store, pieces, context);
  context.progress(1, 'done');
  return { document, manifest, steps: results };
}

/** A document of our own to change: rebuilt from pieces, so that the source stays as it is. */
async function load(io: Awaited<ReturnType<typeof createGltfIO>>, manifest: GLTF.IGLTF, source: GLTF.IGLTF, sourceDocument: Document, store: StepStore | undefined, pieces: Map<string, Uint8Array>, context: StepContext): Promise<Document> {
  if (manifest === source && !pieces.size) {
    const packed = await packDocument(io, sourceDocument, context.hash);
    for (const [hash, bytes] of packed.pieces) pieces.set(hash, bytes);
    return unpackDocument(io, packed.manifest, (hash) => pieces.get(hash));
  }
  const wanted = [...(manifest.buffers ?? []), ...(manifest.images ?? [])].map((entry) => entry.uri?.replace(/^piece:/, '') ?? '').filter((hash) => hash && !pieces.has(hash));
  if (wanted.length && store) for (const [hash, bytes] of await store.piece(wanted)) pieces.set(hash, bytes);
  return unpackDocument(io, manifest, (hash) => pieces.get(hash));
}

/** JSON with keys in order, so that equal settings give equal text. */
export function stable(value: unknown): string {
  return JSON.stringify(value, (_, inner) => (inner && typeof inner === 'object' && !Array.isArray(inner) ? Object.fromEntries(Object.entries(inner).sort(([a], [b]) => (a < b ? -1 : 1))) : inner));
}
