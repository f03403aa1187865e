import type { Document, GLTF } from '@gltf-transform/core';
import * as v from 'valibot';
import { readDossier, skeletonOf, takeHome, updateDossier } from '../character/index.ts';
import { blockingChecks, checkCharacter, type Check } from '../check/index.ts';
import { copyDocument, type InputFile } from '../formats/index.ts';
import { leaveOut, leaveOutStep, standAsFound, standStep, summarise, type CharacterSummary } from '../intake/index.ts';
import { compareCharacters, type Parity } from '../parity/index.ts';
import { runRecipe, stable, type Recipe, type RecipeRun, type RunOptions, type Source, type StepResult } from '../recipe/index.ts';
import { findBrokenBinds, jointRoles, repairBinds } from '../skeleton/index.ts';
import { SHIPPED_FIGURES, withFigure, type Target } from '../targets/index.ts';
import { fileNameOf, finishDocument, modelFiles, sealPackage, type Manifest } from './package.ts';
import { reportHtml, type Report } from './report.ts';

export interface Conversion {
  report: Report;
  steps: StepResult[];
  /** The result before delivery, as the stage shows it. */
  manifest: GLTF.IGLTF;
  blocking: Check[];
  sealed: Manifest;
  html: string;
  archive: { sha256: string; bytes: number };
  /** Packed now, not taken from the store: the archive's bytes and the files in it. */
  made: { archive: Uint8Array; files: InputFile[] } | null;
}

export interface ConvertOptions extends RunOptions {
  name: string;
  source: Source;
  target: Target;
  recipe: Recipe;
  /** ISO date written into the manifest; part of the input, so that the same input gives the same bytes. */
  created: string;
  samples?: number;
}

/** Raised whenever parity, rules or packing would give other numbers or bytes for the same result of the steps. */
const CONCLUSION_VERSION = 4;

/** What follows the last step and is worth keeping: the same result for the same target concludes the same. */
interface Conclusion {
  version: typeof CONCLUSION_VERSION;
  source: CharacterSummary;
  result: CharacterSummary;
  checks: Check[];
  parity: Parity;
  sealed: Manifest;
  html: string;
  archive: { sha256: string; bytes: number };
}
/** Written by ourselves only; the version says whether it is of this shape. */
const isConclusion = (value: unknown): value is Conclusion => v.is(v.looseObject({ version: v.literal(CONCLUSION_VERSION), archive: v.object({ sha256: v.string(), bytes: v.number() }) }), value);

/** Shares of the whole that the three stretches of a conversion take, for progress. */
const STRETCH = { steps: 0.3, parity: 0.45, finish: 0.25 };

/**
 * The whole way: recipe, parity against the source, package, rules. The browser's run and the command line call
 * this same function. Files are made even where a rule blocks, so that the caller decides what to keep.
 */
export async function convert(given: ConvertOptions): Promise<Conversion> {
  const options = { ...given, target: withFigure(given.target, SHIPPED_FIGURES) };
  const { context, store, target } = options;
  const run = await runRecipe(options.source, target, options.recipe, { ...options, context: stretch(context, 0, STRETCH.steps) });
  const key = context.hash(new TextEncoder().encode([run.key, CONCLUSION_VERSION, options.name, options.created, options.samples ?? '', stable(target)].join('\n')));
  const known = await store?.recall?.(key);
  if (isConclusion(known)) return finished(options, run, known, null);
  const { conclusion, made } = await conclude(options, run);
  await store?.remember?.(key, conclusion, new Map([[conclusion.archive.sha256, made.archive]]));
  return finished(options, run, conclusion, made);
}

const stretch = (context: RunOptions['context'], from: number, share: number): RunOptions['context'] => ({ ...context, progress: (fraction, message) => context.progress(from + share * fraction, message) });

function finished({ target }: ConvertOptions, { steps, manifest }: RecipeRun, conclusion: Conclusion, made: Conversion['made']): Conversion {
  const { source, result, checks, parity, sealed, html, archive } = conclusion;
  const report: Report = { schema: 1, target, source, result, steps: steps.map(({ id, title, cached, seconds, measures, findings }) => ({ id, title, cached, seconds, measures, findings })), checks, parity };
  return { report, steps, manifest, blocking: blockingChecks(checks), sealed, html, archive, made };
}

const rolesOf = (document: Document): Record<string, string> => { const skeleton = skeletonOf(document), roles = jointRoles(document, skeleton); return Object.fromEntries(skeleton.joints.map((joint, i) => [joint.getName(), roles[i].role])); };

async function conclude(options: ConvertOptions, run: RecipeRun): Promise<{ conclusion: Conclusion; made: NonNullable<Conversion['made']> }> {
  const { context, target, name } = options;
  const sourceDocument = await options.source.document(), document = await run.document();
  const source = summarise(sourceDocument, name);
  // Parity is between two figures that stand: one that came lying or in centimetres is no different person.
  const reference = copyDocument(sourceDocument);
  const without = options.recipe.steps.find((step) => step.id === leaveOutStep.id);
  // What was no part of the figure is not missed.
  if (without?.enabled !== false) leaveOut(reference, v.parse(leaveOutStep.settings, without?.settings ?? {}));
  const stand = options.recipe.steps.find((step) => step.id === standStep.id);
  if (stand?.enabled !== false) standAsFound(reference, v.parse(standStep.settings, stand?.settings ?? {}));
  // A bind thrown off is no part of the person either.
  repairBinds(reference, findBrokenBinds(reference));
  const measuring = stretch(context, STRETCH.steps, STRETCH.parity);
  // Another rest pose is no other person: both are compared in the pose the source came in.
  const atHome = copyDocument(document);
  takeHome(atHome);
  const parity = await compareCharacters(reference, atHome, { samples: options.samples, images: context.images, progress: measuring.progress, signal: context.signal });
  const origin = readDossier(document).origin;
  const delivered = copyDocument(document);
  await finishDocument(delivered, stretch(context, STRETCH.steps + STRETCH.parity, STRETCH.finish));
  const model = await modelFiles(delivered, target, fileNameOf(name));
  // What a joint is, is no part of the file; the rules need it all the same.
  updateDossier(delivered, { declaredRoles: rolesOf(document) });
  const result: CharacterSummary = summarise(delivered, name);
  const checks = checkCharacter({ document: delivered, summary: result, target, parity, packageBytes: model.reduce((sum, file) => sum + file.bytes.length, 0) });
  // Times differ from run to run; the packaged report leaves them out, so that equal input gives equal bytes.
  const lasting: Report = { schema: 1, target, source, result, steps: run.steps.map(({ id, title, measures, findings }) => ({ id, title, cached: false, seconds: 0, measures, findings })), checks, parity };
  const text = (value: string) => new TextEncoder().encode(value);
  const html = reportHtml(lasting);
  const files: InputFile[] = [...model, { path: 'report.json', bytes: text(JSON.stringify(lasting, null, 1)) }, { path: 'report.html', bytes: text(html) }];
  const sealed = sealPackage(files, { schema: 1, character: name, target: target.id, created: options.created, origin }, context.hash);
  const archive = { sha256: context.hash(sealed.archive), bytes: sealed.archive.length };
  return { conclusion: { version: CONCLUSION_VERSION, source, result, checks, parity, sealed: sealed.manifest, html, archive }, made: { archive: sealed.archive, files: sealed.files } };
}
