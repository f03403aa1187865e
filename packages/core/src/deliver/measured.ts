import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { copyDocument, readDossier, takeHome } from '../character/index.ts';
import { wrapStep } from '../fit/index.ts';
import { type CharacterSummary, summarise } from '../inspect/index.ts';
import { stanceFound, standStep } from '../intake/index.ts';
import { treatStep } from '../materials/index.ts';
import { compareCharacters, type MeantChange, type Parity } from '../parity/index.ts';
import type { RecipeRun } from '../recipe/index.ts';
import { measureStance } from '../rig/index.ts';
import { isStatic } from '../targets/index.ts';
import type { ConvertOptions } from './conversion.ts';
import { memoryOf, shapesKey } from './memory.ts';
import { referenceOf } from './reference.ts';
import { STRETCH, stretch } from './stretch.ts';

/** Share of a target's limit from which it is worth finding out with which step a place came. */
const NEAR_LIMIT = 0.4;

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
export async function measured(
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
