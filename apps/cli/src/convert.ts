import { look } from '@dimetra/eyes';
import { basename, join } from 'node:path';
import {
  convert,
  type Deciding,
  defaultRecipe,
  type FigureWithBody,
  fileNameOf,
  parseRecipe,
  verdictSentence,
  type ReadResult,
  type Recipe,
  type SharedRecipe,
  SharedRecipeSchema,
  type Source,
  type Target,
} from '@dimetra/core';
import { peakMemory, sha256, shippedBody, startAside, writeOutput } from '@dimetra/platform';
import * as v from 'valibot';
import { findTarget, readFigures, readJson } from './find-target.ts';
import { createContext, distinct, openCharacters } from './session.ts';
import { oneTarget, type Parsed } from './arguments.ts';
import { batchCommand } from './batch.ts';
import { UsageError } from './usage.ts';

/** A recipe that was kept and exported is followed by whom it converts; steps alone are nobody's. */
function sharedIn(said: unknown): SharedRecipe | null {
  const { success, output } = v.safeParse(SharedRecipeSchema, said);
  return success ? output : null;
}

export async function convertCommand(parsed: Parsed): Promise<number> {
  const { positionals, values } = parsed;
  if (!positionals.length) throw new UsageError('convert needs an input.');
  if (!values.target?.length) throw new UsageError('convert needs --target.');
  if (!values.out) throw new UsageError('convert needs --out.');
  if (positionals.length > 1 || values.target.length > 1 || values.jobs || values.junit || values.baseline)
    return batchCommand(parsed);
  const figures = await readFigures(values.figure ?? []),
    target = await findTarget(oneTarget(parsed, 'convert'), figures);
  const said = values.recipe ? await readJson(values.recipe) : undefined,
    recipe: Recipe = said === undefined ? defaultRecipe() : parseRecipe(said),
    decided: Deciding = { ...(values.by && { by: values.by }), follows: sharedIn(said) };
  const { characters, failed } = await openCharacters(positionals[0], values.main),
    alone = characters.length === 1 && !failed.length;
  // Names that differ may be one name once they are plain.
  const folders = alone
    ? [values.out]
    : distinct(
        characters.map((read) => fileNameOf(read.name)),
        '-',
      ).map((name) => join(values.out as string, name));
  const outputs = [];
  let blocked = false;
  const names = characters.map((read) => read.name);
  for (let taken = takeFirst(characters), i = 0; taken; taken = takeFirst(characters), i++) {
    const { output, text, blocking } = await convertOne(
      taken.about,
      taken.source,
      target,
      { recipe, decided },
      folders[i],
      figures,
    );
    blocked ||= blocking;
    outputs.push(output);
    if (!values.json) process.stdout.write(text);
  }
  if (values.json)
    process.stdout.write(
      `${JSON.stringify(alone ? outputs[0] : { schema: 1, characters: outputs.map((output, i) => ({ name: names[i], folder: basename(folders[i]), ...output })), failed })}\n`,
    );
  for (const { path, message } of failed) process.stderr.write(`${path}: ${message}\n`);
  return failed.length ? 3 : blocked ? 4 : 0;
}

/** The first of a list, taken off it: so its document can go as soon as nothing needs it any more. */
function takeFirst(characters: ReadResult[]): { about: Omit<ReadResult, 'document'>; source: Source } | null {
  const first = characters.shift();
  if (!first) return null;
  const { document, ...about } = first;
  let held: ReadResult['document'] | null = document;
  return {
    about,
    source: {
      async document() {
        if (!held) throw new Error('the character was let go of');
        return held;
      },
      release() {
        held = null;
      },
    },
  };
}

/** Skins of figures: of those that were given, and of those that ship. */
const pieceOf =
  (figures: readonly FigureWithBody[]) =>
  async (hash: string): Promise<Uint8Array | null> =>
    figures.find(({ figure }) => figure.body?.file === hash)?.bytes ?? shippedBody(hash);

async function convertOne(
  read: Omit<ReadResult, 'document'>,
  source: Source,
  target: Target,
  { recipe, decided }: { recipe: Recipe; decided: Deciding },
  out: string,
  figures: readonly FigureWithBody[],
) {
  const started = performance.now();
  const done = await convert({
    name: read.name,
    source,
    target,
    recipe,
    decided,
    created: process.env.SOURCE_DATE ?? new Date().toISOString().slice(0, 10),
    context: { ...createContext(), piece: pieceOf(figures) },
    aside: startAside,
    eyes: look,
  });
  // Without a store everything is made here and now.
  const files = done.made ?? [];
  await writeOutput(out, files);
  const { report } = done;
  const output = {
    schema: 1,
    target: target.id,
    source: report.source,
    result: report.result,
    steps: report.steps,
    verdict: report.verdict,
    checks: report.checks,
    parity: report.parity,
    stated: report.stated,
    findings: read.findings,
    files: [
      ...done.sealed.files,
      ...files
        .filter((file) => file.path === 'manifest.json')
        .map((file) => ({ path: file.path, bytes: file.bytes.length, sha256: sha256(file.bytes) })),
    ],
    seconds: Math.round((performance.now() - started) / 10) / 100,
    measuringSeconds: Math.round(done.measuringSeconds * 100) / 100,
    peakMemoryBytes: peakMemory(),
  };
  const text = `${read.name} for ${target.title}: ${report.source.triangles} → ${report.result.triangles} triangles, ${report.source.joints.length} → ${report.result.joints.length} joints, ${report.parity.shape.rest.rmsMm} mm RMS at rest. ${verdictSentence(done.verdict)}\n${report.checks
    .filter((check) => !check.ok)
    .map((check) => `${check.blocking ? 'blocks' : 'noted'}: ${check.message}\n`)
    .join('')}`;
  return { output, text, blocking: done.verdict.state === 'blocks' };
}
