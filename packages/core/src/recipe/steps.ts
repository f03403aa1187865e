import type * as v from 'valibot';
import { fitMapsStep, fitMorphsStep, layoutStep, pinsStep, seatStep, wrapStep } from '../fit/index.ts';
import { assembleStep, leaveOutStep, splitTilesStep, standStep } from '../intake/index.ts';
import {
  channelsStep,
  detailStep,
  eyesStep,
  kindsStep,
  materialsStep,
  modelStep,
  packingStep,
  treatStep,
  softEdgeStep,
  strandOrderStep,
} from '../materials/index.ts';
import {
  bodyStep,
  carryStep,
  dropStep,
  expressionsStep,
  foldStep,
  followStep,
  mirrorStep,
  mixStep,
  nameStep,
  splitStep,
} from '../morphs/index.ts';
import { reduceStep } from '../reduce/index.ts';
import { bakeSkeletonStep, restStep } from '../rest/index.ts';
import { giveSkeletonStep, repairStep, skeletonStep } from '../skeleton/index.ts';
import type { StepDefinition } from '../step.ts';
import { findMapsStep, texturesStep } from '../textures/index.ts';
import { bindStep, mendWeightsStep, transferStep, weightsStep } from '../weights/index.ts';

const IN_ORDER = [
  leaveOutStep,
  kindsStep,
  standStep,
  splitTilesStep,
  findMapsStep,
  assembleStep,
  detailStep,
  giveSkeletonStep,
  bindStep,
  repairStep,
  transferStep,
  mixStep,
  bodyStep,
  skeletonStep,
  restStep,
  bakeSkeletonStep,
  carryStep,
  mirrorStep,
  splitStep,
  foldStep,
  expressionsStep,
  dropStep,
  nameStep,
  // Before maps are read: what lies in the wrong place reads wrong.
  layoutStep,
  eyesStep,
  channelsStep,
  // Once morphs are what they shall be and maps are read right; its weights are mended and limited like any others.
  wrapStep,
  pinsStep,
  seatStep,
  fitMorphsStep,
  followStep,
  fitMapsStep,
  mendWeightsStep,
  weightsStep,
  treatStep,
  modelStep,
  packingStep,
  materialsStep,
  texturesStep,
  reduceStep,
  softEdgeStep,
  strandOrderStep,
] as const;
type Steps = (typeof IN_ORDER)[number];
export type StepId = Steps['id'];
/** What a recipe may say of a step. */
export type StepSettings = { [K in Steps as K['id']]: v.InferInput<K['settings']> };

/** Every step there is, in the order in which a recipe runs them. */
export const STEPS = IN_ORDER as unknown as readonly StepDefinition[];
export const stepById = (id: string): StepDefinition | undefined => STEPS.find((step) => step.id === id);
