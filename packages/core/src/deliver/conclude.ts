import type { Document } from '@gltf-transform/core';
import { beyondOf, copyDocument, readDossier } from '../character/index.ts';
import { statedOf, verdictOf, weighed } from '../check/index.ts';
import type { InputFile } from '../formats/index.ts';
import { type CharacterSummary, summarise } from '../inspect/index.ts';
import { nearestName } from '../nearest-name.ts';
import { type Finding, throwIfAborted } from '../problem.ts';
import type { RecipeRun, RunOptions, StepResult } from '../recipe/index.ts';
import { isCompressed, RULE_IDS, type Target, unknownRules } from '../targets/index.ts';
import { besideModel } from './beside.ts';
import type { Concluded } from './conclusion.ts';
import type { ConvertOptions } from './conversion.ts';
import { decidedOf, licenceOf } from './decided.ts';
import { longPaths, modelFolder } from './folders.ts';
import type { MadeGrade } from './grades.ts';
import { judgeDelivery } from './judge.ts';
import { makeLevels } from './levels/make-levels.ts';
import { measureLevels } from './levels/measure-levels.ts';
import { measured } from './measured.ts';
import type { PreparedLevel } from './models.ts';
import { modelNameOf } from './file-names.ts';
import { sealPackage } from './package.ts';
import { writeMaps } from './write-maps.ts';
import { prepareForDelivery, sayAgain } from './prepare.ts';
import { type Report, reportHtml } from './report.ts';
import { STRETCH, stretch } from './stretch.ts';
import { deliveredFiles } from './delivered-files.ts';

/** What finishing found, told as one more step, where it found anything. */
export const deliveryStep = (findings: Finding[]): StepResult[] =>
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

/** What follows the last step: measured, written, looked at by other eyes, judged by every rule, told. */
export async function conclude(
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
    } = await deliveredFiles(
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
