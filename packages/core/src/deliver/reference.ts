import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { skeletonOf, copyDocument } from '../character/index.ts';
import { type Stance, jointRoles, roleIndex, turnsToward } from '../rig/index.ts';
import {
  runRecipe,
  stepById,
  STEPS,
  type Recipe,
  type RecipeRun,
  type RunOptions,
  type Source,
} from '../recipe/index.ts';
import { restDirections, restStep, standAs, wantedRest } from '../rest/index.ts';
import type { StepContext } from '../step.ts';
import { isStatic, type Target } from '../targets/index.ts';

/** What a result is measured against. */
export interface Reference {
  document: Document;
  /** What it is held against in poses, where the source itself has parts that follow no joint: the source with the weights it was given. */
  bending?: Document;
}

interface Decided {
  recipe: Recipe;
  target: Target;
}
type Asked = Decided & { source: Source };

/**
 * Parity is between two figures that stand: one that came lying or in centimetres is no different person, what was no
 * part of the figure is not missed, and a bind thrown off is no part of it either. A static result is held against the
 * source as its joints pose it. The document is `source` itself where it came so.
 */
export async function referenceOf(
  source: Document,
  stance: Stance,
  run: RecipeRun,
  asked: Asked,
  options: RunOptions,
): Promise<Reference> {
  const standing = await standingSource(source, stance, asked, options.context),
    bending = weightsWereGiven(run) ? await sourceWithWeights(asked, options) : undefined;
  return isStatic(asked.target) ? { document: asPosed(bending ?? standing, asked) } : { document: standing, bending };
}

/** The settings of a step as the recipe has them; null where it is switched off. */
function settingsOf({ recipe }: Decided, id: string): Record<string, unknown> | null {
  const step = recipe.steps.find((entry) => entry.id === id);
  return step?.enabled === false ? null : (step?.settings ?? {});
}

/** The source after every step of the recipe that means it too. The same document where none of them does anything to it. */
async function standingSource(source: Document, stance: Stance, asked: Asked, context: StepContext): Promise<Document> {
  const undergone = STEPS.flatMap(({ id, settings: schema, reference }) => {
    const said = reference && settingsOf(asked, id);
    return said ? [{ reference, settings: v.parse(schema, said) as never }] : [];
  });
  if (!undergone.some(({ reference, settings }) => reference.needed(source, settings, stance, asked.target)))
    return source;
  const changed = copyDocument(source);
  for (const { reference, settings } of undergone)
    if (reference.needed(changed, settings, stance, asked.target))
      await reference.undergo(changed, settings, asked.target, { ...context, progress: () => {} });
  return changed;
}

const weightsWereGiven = ({ steps }: RecipeRun): boolean =>
  steps.some((step) => stepById(step.id)?.givesWeights && step.measures.some((measure) => measure.result > 0));

/** The source as it was right after its parts were bound: the same steps with the same settings, which a store knows already. */
async function sourceWithWeights({ source, target, recipe }: Asked, options: RunOptions): Promise<Document> {
  const last = STEPS.findLastIndex((step) => step.givesWeights),
    steps = STEPS.map((step, i) => {
      const said = recipe.steps.find((entry) => entry.id === step.id);
      return { id: step.id, settings: said?.settings ?? {}, enabled: i <= last && said?.enabled !== false };
    });
  const run = await runRecipe(
    source,
    target,
    { ...recipe, steps },
    { context: { ...options.context, progress: () => {} }, store: options.store },
  );
  return run.document();
}

/** A static result can't be taken home: its source is turned to the pose that it was to stand in, the mesh as skinning has it. The same document where there is nothing to turn. */
export function asPosed(document: Document, decided: Decided): Document {
  const settings = settingsOf(decided, restStep.id),
    pose = settings && (v.parse(restStep.settings, settings).pose ?? wantedRest(decided.target)),
    wanted = pose && restDirections(pose, decided.target);
  if (!wanted || !isStatic(decided.target) || !document.getRoot().listSkins().length) return document;
  const posed = copyDocument(document),
    skeleton = skeletonOf(posed);
  standAs(posed, turnsToward(skeleton, roleIndex(jointRoles(posed, skeleton)), wanted), skeleton);
  return posed;
}
