import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { beyondOf, readDossier, takeHome, copyDocument } from '../character/index.ts';
import {
  blockingChecks,
  type Check,
  type LevelRow,
  type Stated,
  statedOf,
  weighed,
  verdictOf,
} from '../check/index.ts';
import { type InputFile, writeArchive } from '../formats/index.ts';
import { measureStance } from '../rig/index.ts';
import { wrapStep } from '../fit/index.ts';
import { treatStep } from '../materials/index.ts';
import { stanceFound, standStep } from '../intake/index.ts';
import { summarise, type CharacterSummary } from '../inspect/index.ts';
import { compareCharacters, type MeantChange, type Parity } from '../parity/index.ts';
import { nearestName } from '../nearest-name.ts';
import { type Finding, throwIfAborted } from '../problem.ts';
import { runRecipe, stable, type RecipeRun, type RunOptions, type StepResult, codeOf } from '../recipe/index.ts';
import type { Station } from '../step.ts';
import {
  isCompressed,
  isStatic,
  parseTarget,
  RULE_IDS,
  SHIPPED_FIGURES,
  unknownRules,
  withFigure,
  type Target,
} from '../targets/index.ts';
import { judgeDelivery, type StatedModel } from './judge.ts';
import type { GradeRow } from './grade-row.ts';
import { type MadeGrade, makeGrades, sharing } from './grades.ts';
import { makeLevels } from './levels/make-levels.ts';
import { measureLevels } from './levels/measure-levels.ts';
import { memoryOf, shapesKey } from './memory.ts';
import type { Archive, Conversion, ConvertOptions } from './conversion.ts';
import { type Decided, decidedOf, licenceOf } from './decided.ts';
import { longPaths, modelFolder } from './folders.ts';
import { deliveredThings } from './things.ts';
import type { PreparedLevel } from './models.ts';
import { type Manifest, modelNameOf, sealPackage, writeMaps } from './package.ts';
import { prepareForDelivery, sayAgain } from './prepare.ts';
import { besideModel } from './beside.ts';
import { referenceOf } from './reference.ts';
import { reportHtml, type Report } from './report.ts';

/** Raised whenever what is kept has another shape. */
const CONCLUSION_VERSION = 19;

/** What follows the last step and is worth keeping: the same result for the same target concludes the same. */
interface Conclusion {
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
type Concluded = Omit<Conclusion, 'version' | 'archive'>;
/** Written by ourselves only; the version says whether it is of this shape. */
const isConclusion = (value: unknown): value is Conclusion =>
  v.is(
    v.looseObject({
      version: v.literal(CONCLUSION_VERSION),
      archive: v.object({ sha256: v.string(), bytes: v.number() }),
    }),
    value,
  );

/** Share of a target's limit from which it is worth finding out with which step a place came. */
const NEAR_LIMIT = 0.4;

/** Shares of the whole that the three stretches of a conversion take, for progress. */
const STRETCH = { steps: 0.25, writing: 0.1, parity: 0.55, finish: 0.1 };

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

const stretch = (context: RunOptions['context'], from: number, share: number, at?: Station): RunOptions['context'] => ({
  ...context,
  progress: (fraction, message, station = at) => context.progress(from + share * fraction, message, station),
});

/** What finishing found, told as one more step, where it found anything. */
const deliveryStep = (findings: Finding[]): StepResult[] =>
  findings.length
    ? [
        {
          id: 'deliver.finish',
          station: 'deliver',
          title: 'Delivery',
          cached: false,
          seconds: 0,
          measures: [],
          findings,
        },
      ]
    : [];

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

/** Materials that steps say they put in the place of others. */
const meantChanges = ({ steps }: RecipeRun): MeantChange[] =>
  steps.flatMap(({ id, findings }) =>
    findings.flatMap(({ code, names }) =>
      code === 'materials.replaced' && names ? [{ from: names.from, to: names.to, step: id }] : [],
    ),
  );

/** What stood before a step; undefined where it did nothing or came first. */
async function beforeStep({ stages }: RecipeRun, id: string): Promise<Document | undefined> {
  const at = stages.findIndex((stage) => stage.id === id);
  return at > 0 ? stages[at - 1].document() : undefined;
}

/** What stood before a step, with its materials treated as the result's are: what treatments mean is no loss. */
async function treatedBefore(
  run: RecipeRun,
  id: string,
  { recipe, target, context }: ConvertOptions,
): Promise<Document | undefined> {
  const before = await beforeStep(run, id),
    said = recipe.steps.find((step) => step.id === treatStep.id);
  if (!before || said?.enabled === false) return before;
  const own = copyDocument(before);
  await treatStep.run(own, v.parse(treatStep.settings, said?.settings ?? {}), target, {
    ...context,
    progress: () => {},
  });
  return own;
}

/** The result of the steps, the caller's own, against the source. */
async function measured(
  options: ConvertOptions,
  run: RecipeRun,
  document: Document,
  materialsRead: Document,
): Promise<{ parity: Parity; source: CharacterSummary; seconds: number }> {
  const { context, target, name } = options,
    sourceDocument = await options.source.document();
  // Where nothing came before the standing up, it has looked at the source already.
  const [first] = run.steps,
    stance =
      (first?.id === standStep.id ? stanceFound(first.measures, readDossier(document).found) : null) ??
      measureStance(sourceDocument);
  const source = summarise(sourceDocument, name, { seen: false, stance });
  const started = performance.now();
  const reference = await referenceOf(sourceDocument, stance, run, options, options);
  const measuring = stretch(context, STRETCH.steps + STRETCH.writing, STRETCH.parity, 'check');
  // Another rest pose is no other person: both are compared in the pose the source came in.
  const compared = readDossier(document).homePose ? copyDocument(document) : document;
  takeHome(compared);
  const parity = await compareCharacters(reference.document, compared, {
    bending: reference.bending,
    still: isStatic(target),
    samples: options.samples,
    images: context.images,
    appearance:
      options.appearance === false
        ? undefined
        : {
            nearestM: target.appearance.nearestM,
            materialsRead,
            laidOutBefore: await treatedBefore(run, wrapStep.id, options),
            meant: meantChanges(run),
            stages: run.stages,
            isHeavy: ({ from, to, weight }) =>
              weight > NEAR_LIMIT * (from === to ? target.appearance.changed : target.appearance.other),
          },
    aside: options.aside,
    memory: memoryOf(options),
    sameShapes: reference.bending ? undefined : shapesKey(options, run),
    progress: measuring.progress,
    signal: context.signal,
  });
  return { parity, source, seconds: (performance.now() - started) / 1000 };
}

async function conclude(
  options: ConvertOptions,
  run: RecipeRun,
  grades: readonly MadeGrade[],
): Promise<Concluded & { files: InputFile[]; measuringSeconds: number }> {
  const { context, target, name } = options;
  // Nobody else asks for it: it is finished in place once it has been measured.
  const document = await run.document(),
    // Its maps are judged as they are delivered, beside the source's as they were read.
    materialsRead = copyDocument(document);
  const unwritten = await writeMaps(document, stretch(context, STRETCH.steps, STRETCH.writing, 'check'));
  const { parity, source, seconds } = await measured(options, run, document, materialsRead);
  // What follows looks at the result alone, twice over: there shouldn't be a second figure in memory.
  options.source.release?.();
  let measuringSeconds = seconds;
  const before = STRETCH.steps + STRETCH.writing + STRETCH.parity,
    finishing = stretch(context, before, 0, 'deliver');
  const {
    rows: levels,
    made,
    seconds: looked,
  } = await levelsOf(document, options, stretch(context, before, STRETCH.finish / 2));
  measuringSeconds += looked;
  // Finishing takes out all that is ours.
  const beyond = beyondOf(document),
    file = modelNameOf(name, target),
    folder = modelFolder(target, name),
    { origin } = readDossier(document),
    told = { decided: decidedOf(options.recipe, options.decided), licence: licenceOf(document) },
    nearest = await prepareForDelivery(document, target, name, finishing),
    further: PreparedLevel[] = [];
  for (const { n, level, document: own } of made)
    further.push({ n, level, prepared: await prepareForDelivery(own, target, name, finishing) });
  const {
      files: model,
      models,
      findings: written,
      checks: besideChecks,
    } = await deliveredThings(
      nearest,
      further,
      target,
      { file, folder, heightM: heightOf(document) },
      { images: context.images, eyes: options.eyes },
    ),
    beside = await besideModel(document, target, file, context, beyond, folder),
    delivery = [
      ...unknownRuleFindings(target),
      ...unwritten,
      ...nearest.findings,
      ...made.flatMap(({ findings }) => findings),
      ...written,
      ...beside.findings,
      ...longPaths([...model, ...beside.files]),
    ];
  sayAgain(nearest);
  const result: CharacterSummary = summarise(document, name, { seen: false });
  context.progress(before + STRETCH.finish / 2, 'looking at what is delivered with other eyes', 'deliver');
  throwIfAborted(context.signal);
  const looking = performance.now(),
    {
      checks: own,
      stated,
      models: statedModels,
    } = await judgeDelivery(
      {
        files: models[0]?.files ?? [],
        beside: beside.files,
        document,
        summary: result,
        target,
        parity,
        compressed: isCompressed(target),
        levels,
        ...((models.length > 1 || target.package.only) && { models }),
      },
      options.eyes,
    );
  measuringSeconds += (performance.now() - looking) / 1000;
  const checks = [...own, ...weighed([...besideChecks, ...grades.map(({ check }) => check)], target)];
  const several = {
    ...(grades.length && { grades: grades.map(({ row }) => row) }),
    ...(levels.length && { levels }),
    ...(statedModels && { models: statedModels }),
  };
  // Times differ from run to run; the packaged report leaves them out, so that equal input gives equal bytes.
  const lasting: Report = {
    schema: 1,
    target,
    source,
    result,
    steps: [...run.steps, ...deliveryStep(delivery)].map(({ id, title, measures, findings }) => ({
      id,
      title,
      cached: false,
      seconds: 0,
      measures,
      findings,
    })),
    verdict: verdictOf(checks),
    checks,
    parity,
    stated,
    ...told,
    ...several,
  };
  const text = (value: string) => new TextEncoder().encode(value);
  const html = reportHtml(lasting);
  const files: InputFile[] = [
    ...model,
    ...beside.files,
    { path: 'report.json', bytes: text(JSON.stringify(lasting, null, 1)) },
    { path: 'report.html', bytes: text(html) },
    ...grades.flatMap((grade) => grade.files),
  ];
  const sealed = sealPackage(
    files,
    {
      schema: 1,
      character: name,
      target: target.id,
      created: options.created,
      origin,
      ...(target.materials.beyondGltf && Object.keys(beyond).length && { materials: beyond }),
      ...(beside.maps && { maps: beside.maps }),
      ...(grades.length && { grades: grades.map(({ row: { id, title, folder } }) => ({ id, title, folder })) }),
      ...((models.length > 1 || (target.package.only && models.length)) && {
        models: models.map(({ files: _, document: __, ...model }) => model),
      }),
    },
    context.hash,
  );
  return {
    source,
    result,
    checks,
    parity,
    stated,
    delivery,
    sealed: sealed.manifest,
    html,
    files: sealed.files,
    measuringSeconds,
    ...told,
    ...several,
  };
}

/** A slip of the pen would otherwise weigh nothing. */
const unknownRuleFindings = ({ title, rules }: Target): Finding[] =>
  unknownRules(rules).map((id) => ({
    code: 'target.unknown-rule',
    severity: 'warning',
    message: `“${title}” weighs the rule “${id}”, which doesn't exist${nearestName(id, RULE_IDS)}. It weighed nothing.`,
    where: id,
  }));

/** The levels that a target wants behind the nearest, and how they look from where they begin. */
async function levelsOf(document: Document, { target, appearance }: ConvertOptions, context: RunOptions['context']) {
  // Joints and maps have no levels.
  const { only } = target.package,
    made = !only || only === 'mesh' ? await makeLevels(document, target, context) : [],
    started = performance.now(),
    rows = await measureLevels(document, made, target, context, { appearance });
  return { made, rows, seconds: (performance.now() - started) / 1000 };
}

/** Of what is drawn at rest, metres. */
const heightOf = (document: Document): number => (statedOf(document).sizeMm?.[1] ?? 1750) / 1000;
