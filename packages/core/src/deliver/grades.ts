import { asCheck, type Check, verdictSentence, worstOf } from '../check/index.ts';
import { createGltfIO, type InputFile, packDocument } from '../formats/index.ts';
import { throwIfAborted } from '../problem.ts';
import { MemoryStore, type Source } from '../recipe/index.ts';
import type { Grade, Target } from '../targets/index.ts';
import { targetOfGrade } from '../targets/index.ts';
import type { Conversion, ConvertOptions } from './conversion.ts';
import { filesMade } from './files-made.ts';
import type { GradeRow } from './grade-row.ts';

export interface MadeGrade {
  row: GradeRow;
  check: Check;
  files: InputFile[];
}

/** Steps are shared between grades where something keeps what they left behind; where nothing does, this does, for as long as it takes. */
export async function sharing(options: ConvertOptions): Promise<ConvertOptions> {
  if (!options.target.grades?.length || (options.store && options.source.manifest)) return options;
  const store = new MemoryStore(),
    { manifest, pieces } = await packDocument(
      await createGltfIO(),
      await options.source.document(),
      options.context.hash,
    );
  store.add(pieces);
  return { ...options, store, source: { ...options.source, manifest } };
}

/** Makes every grade of a target, each a package of its own; steps that ask for nothing that differs are done once. */
export async function makeGrades(
  options: ConvertOptions,
  convertOne: (options: ConvertOptions) => Promise<Conversion>,
): Promise<MadeGrade[]> {
  const { target, context, source, store } = options,
    grades = target.grades ?? [],
    out: MadeGrade[] = [];
  // The figure is asked for again by the next one.
  const held: Source = { manifest: source.manifest, document: () => source.document() };
  for (const [i, grade] of grades.entries()) {
    throwIfAborted(context.signal);
    const done = await convertOne({
      ...options,
      source: held,
      target: targetOfGrade(target, grade),
      onStep: undefined,
      onResult: undefined,
      context: {
        ...context,
        progress: (fraction, message, station) =>
          context.progress((i + fraction) / grades.length, `${grade.title}: ${message}`, station),
      },
    });
    const files = await filesMade(done, store);
    out.push({
      row: {
        id: grade.id,
        title: grade.title,
        folder: `${grade.id}/`,
        verdict: done.verdict,
        triangles: done.report.result.triangles,
        textureMemoryBytes: done.report.result.textureMemoryBytes,
        bytes: files.reduce((sum, file) => sum + file.bytes.length, 0),
      },
      check: checkOf(grade, target, done),
      files: files.map((file) => ({ path: `${grade.id}/${file.path}`, bytes: file.bytes })),
    });
  }
  return out;
}

/** A grade as one rule of the whole: what it breaks stands in its own report, the worst of it here. */
function checkOf({ id, title }: Grade, target: Target, { verdict, report, blocking }: Conversion): Check {
  const broken = blocking.length ? blocking : report.checks.filter(({ ok }) => !ok),
    worst = worstOf(broken),
    first = broken.find(({ rule }) => rule === worst?.rule) ?? broken[0];
  return asCheck({
    rule: `grades.${id}`,
    title: `Rules that the grade ${title} breaks`,
    station: first?.station ?? 'check',
    ok: verdict.state === 'holds',
    blocking: verdict.state === 'blocks',
    measured: verdict.rules - verdict.holding,
    limit: 0,
    unit: '',
    message: first
      ? `${title} of ${target.title}: ${verdictSentence(verdict)} ${first.message}`
      : `${title} of ${target.title}: ${verdictSentence(verdict)}`,
  });
}
