import type { Document, GLTF } from '@gltf-transform/core';
import { readDossier } from '../character/index.ts';
import { blockingChecks, checkCharacter, type Check } from '../check/index.ts';
import { createGltfIO, packDocument, unpackDocument, type InputFile } from '../formats/index.ts';
import { summarise, type CharacterSummary } from '../intake/index.ts';
import { compareCharacters, type Parity } from '../parity/index.ts';
import { runRecipe, type Recipe, type RunOptions, type StepResult } from '../recipe/index.ts';
import type { Target } from '../targets/index.ts';
import { fileNameOf, finishDocument, modelFiles, sealPackage, type Manifest } from './package.ts';
import { reportHtml, type Report } from './report.ts';

export interface Conversion {
  report: Report;
  steps: StepResult[];
  /** The result before delivery, as the stage shows it. */
  manifest: GLTF.IGLTF;
  blocking: Check[];
  files: InputFile[];
  sealed: Manifest;
  archive: Uint8Array;
}

export interface ConvertOptions extends RunOptions {
  name: string;
  source: GLTF.IGLTF;
  sourceDocument: Document;
  target: Target;
  recipe: Recipe;
  /** ISO date written into the manifest; part of the input, so that the same input gives the same bytes. */
  created: string;
  samples?: number;
}

/** Shares of the whole that the three stretches of a conversion take, for progress. */
const STRETCH = { steps: 0.45, parity: 0.35, finish: 0.2 };

/**
 * The whole way: recipe, parity against the source, package, rules. The browser's run and the command line call
 * this same function. Files are made even where a rule blocks, so that the caller decides what to keep.
 */
export async function convert(options: ConvertOptions): Promise<Conversion> {
  const { context, target, name, sourceDocument } = options;
  const stretch = (from: number, share: number) => ({ ...context, progress: (fraction: number, message: string) => context.progress(from + share * fraction, message) });
  const sourceSummary = summarise(sourceDocument, name);
  const { document, manifest, steps } = await runRecipe(options.source, sourceDocument, target, options.recipe, { ...options, context: stretch(0, STRETCH.steps) });
  const parityContext = stretch(STRETCH.steps, STRETCH.parity);
  const parity: Parity = await compareCharacters(sourceDocument, document, { samples: options.samples, images: context.images, progress: parityContext.progress, signal: context.signal });
  const origin = readDossier(document).origin;
  const finishContext = stretch(STRETCH.steps + STRETCH.parity, STRETCH.finish);
  const delivered = await copyOf(document, context.hash);
  await finishDocument(delivered, finishContext);
  const summary: CharacterSummary = summarise(delivered, name);
  // Roles found before names were changed are worth more than roles guessed again.
  const model = await modelFiles(delivered, target, fileNameOf(name));
  const checks = checkCharacter({ document: delivered, summary, target, parity, packageBytes: model.reduce((sum, file) => sum + file.bytes.length, 0) });
  const report: Report = {
    schema: 1, target, source: sourceSummary, result: summary,
    steps: steps.map(({ id, title, cached, seconds, measures, findings }) => ({ id, title, cached, seconds, measures, findings })),
    checks, parity,
  };
  const text = (value: string) => new TextEncoder().encode(value);
  // Times differ from run to run; the packaged report leaves them out, so that equal input gives equal bytes.
  const lasting: Report = { ...report, steps: report.steps.map((step) => ({ ...step, seconds: 0, cached: false })) };
  const files: InputFile[] = [...model, { path: 'report.json', bytes: text(JSON.stringify(lasting, null, 1)) }, { path: 'report.html', bytes: text(reportHtml(lasting)) }];
  const sealed = sealPackage(files, { schema: 1, character: name, target: target.id, created: options.created, origin }, context.hash);
  return { report, steps, manifest, blocking: blockingChecks(checks), files: sealed.files, sealed: sealed.manifest, archive: sealed.archive };
}

async function copyOf(document: Document, hash: (bytes: Uint8Array) => string): Promise<Document> {
  const io = await createGltfIO();
  const packed = await packDocument(io, document, hash);
  return unpackDocument(io, packed.manifest, (name) => packed.pieces.get(name));
}
