import { blockingChecks, verdictOf } from '../check/index.ts';
import { writeArchive } from '../formats/index.ts';
import { summarise } from '../inspect/index.ts';
import { codeOf, type RecipeRun, type RunOptions, runRecipe, stable } from '../recipe/index.ts';
import { parseTarget, SHIPPED_FIGURES, withFigure } from '../targets/index.ts';
import { conclude, deliveryStep } from './conclude.ts';
import { type Concluded, type Conclusion, CONCLUSION_VERSION, isConclusion } from './conclusion.ts';
import type { Conversion, ConvertOptions } from './conversion.ts';
import { makeGrades, sharing } from './grades.ts';
import type { Report } from './report.ts';
import { STRETCH, stretch } from './stretch.ts';

/**
 * The whole way: recipe, parity against the source, package, rules. The browser's run and the command line call
 * this same function. Files are made even where a rule blocks, so that the caller decides what to keep.
 */
export async function convert(given: ConvertOptions): Promise<Conversion> {
  const whole = await sharing({ ...given, target: withFigure(parseTarget(given.target), SHIPPED_FIGURES) }),
    packages = 1 + (whole.target.grades?.length ?? 0),
    /** Of one package of several: before the grades are made, and after. */
    own: RunOptions['context'] = {
      ...whole.context,
      progress: (fraction, message, station) =>
        whole.context.progress(
          (fraction <= STRETCH.steps ? fraction : packages - 1 + fraction) / packages,
          message,
          station,
        ),
    },
    options = { ...whole, context: own },
    { context, store, target } = options;
  const run = await runRecipe(options.source, target, options.recipe, {
    ...options,
    keepStages: options.appearance !== false,
    context: stretch(context, 0, STRETCH.steps),
  });
  const grades = () =>
    makeGrades(
      { ...whole, context: stretch(whole.context, STRETCH.steps / packages, (packages - 1) / packages) },
      convert,
    );
  if (!run.kept) {
    const { files, measuringSeconds, ...made } = await conclude(options, run, await grades());
    return finished(options, run, made, { made: files, kept: null, measuringSeconds });
  }
  const { key: result, manifest } = run.kept;
  const key = context.hash(
    new TextEncoder().encode(
      [
        result,
        (options.code ?? codeOf)('conclusion'),
        options.name,
        options.created,
        options.samples ?? '',
        options.appearance ?? '',
        stable(target),
        stable(options.decided ?? null),
      ].join('\n'),
    ),
  );
  const known = await store?.recall?.(key);
  if (isConclusion(known))
    return finished(options, run, known, {
      made: null,
      kept: { manifest, archive: known.archive },
      measuringSeconds: 0,
    });
  await given.onResult?.(run.kept, summarise(await run.document(), options.name, { seen: false }));
  const { files, measuringSeconds, ...made } = await conclude(options, run, await grades()),
    packed = writeArchive(files);
  const archive = { sha256: context.hash(packed), bytes: packed.length },
    conclusion: Conclusion = { version: CONCLUSION_VERSION, ...made, archive };
  await store?.remember?.(key, conclusion, new Map([[archive.sha256, packed]]));
  return finished(options, run, conclusion, { made: files, kept: { manifest, archive }, measuringSeconds });
}

async function finished(
  { target, onStep }: ConvertOptions,
  run: RecipeRun,
  concluded: Concluded,
  where: Pick<Conversion, 'made' | 'kept' | 'measuringSeconds'>,
): Promise<Conversion> {
  const last = deliveryStep(concluded.delivery),
    steps = [...run.steps, ...last];
  for (const step of last) await onStep?.(step);
  const { source, result, checks, parity, stated, sealed, html, levels, models, grades, decided, licence } = concluded,
    verdict = verdictOf(checks);
  const report: Report = {
    schema: 1,
    target,
    source,
    result,
    steps: steps.map(({ station: _, ...step }) => step),
    verdict,
    checks,
    parity,
    stated,
    decided,
    licence,
    ...(levels && { levels }),
    ...(models && { models }),
    ...(grades && { grades }),
  };
  return { report, steps, blocking: blockingChecks(checks), verdict, sealed, html, ...where };
}
