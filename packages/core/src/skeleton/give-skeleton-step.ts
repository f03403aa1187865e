import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import {
  HUMANOID_ROLES,
  type HumanoidRole,
  isFingerRole,
  jointsApart,
  listParts,
  roleLabel,
} from '../character/index.ts';
import { type JointFound, landmarksOf, type Landmarks } from '../landmarks/index.ts';
import { measure } from '../measures.ts';
import type { Finding } from '../problem.ts';
import { worded } from '../settings.ts';
import { defineStep } from '../step.ts';
import { type Figure, figureOf, isStatic, SHIPPED_FIGURES, shippedFigure, type Target } from '../targets/index.ts';
import { giveSkeleton, placesOf } from './give-skeleton.ts';

/** Under this somebody should look before it is believed. */
const SURE = 0.7;
/** For pipelines without a figure of their own: named by roles. */
const PLAIN = 'gltf-neutral';

const place = v.tuple([v.pipe(v.number(), v.finite()), v.pipe(v.number(), v.finite()), v.pipe(v.number(), v.finite())]);

export const giveSkeletonStep = defineStep({
  id: 'fit.skeleton',
  station: 'fit',
  title: 'A skeleton for a body without one',
  says: 'Limbs, fingers and face are found in the shape itself, whatever it is called. A figure’s joints come to lie there; the mesh is bound to them at Weights.',
  needs: ['K6', 'F1', 'M7'],
  settings: v.object({
    /** Whose joints; the target's figure where left out, or where that names none joints named by their roles. */
    figure: worded(v.optional(v.picklist(SHIPPED_FIGURES.map(({ id }) => id))), {
      title: 'Joints of',
      words: Object.fromEntries(SHIPPED_FIGURES.map(({ id, title }) => [id, title])),
    }),
    /** Joints put elsewhere by hand: role → place, metres. */
    moved: worded(v.optional(v.record(v.picklist(HUMANOID_ROLES), place), {}), { title: 'Moved by hand' }),
  }),
  givesWay: (settingsOf) => Boolean(settingsOf('weights.transfer').donor),
  reads: (target) => target.joints,
  applies: (document, target) => lacksSkeleton(document, target),
  async run(document, settings, target, context) {
    const figure = skeletonWanted(target, settings.figure);
    context.progress(0.05, 'looking for limbs');
    const found = landmarksOf(document, placesOf(figure));
    if (found.refused)
      return {
        measures: [],
        findings: [
          {
            code: 'fit.no-person',
            severity: 'error',
            message: `No skeleton was put in: ${found.refused} Leave out what isn't part of the person at Intake, bring the skeleton with the mesh, or take one from another character at Weights.`,
            repair: 'fit.skeleton',
          },
        ],
      };
    context.progress(0.8, 'placing joints');
    const joints = placedJoints(found, settings.moved),
      nodes = giveSkeleton(document, figure, joints);
    return {
      measures: [
        measure('joints', 0, nodes.length),
        measure('joints-seen', 0, joints.filter(({ how }) => how !== 'proportion').length),
        measure('joints-by-proportion', 0, joints.filter(({ how }) => how === 'proportion').length),
        measure('like-a-person', 0, Math.round(found.confidence * 100)),
      ],
      findings: toldOf(found, joints, settings.moved),
    };
  },
});

/** Whether a target wants a skeleton of a document in which nothing is bound to joints and none came apart. */
export const lacksSkeleton = (document: Document, target: Target): boolean =>
  !isStatic(target) &&
  !document.getRoot().listSkins().length &&
  !jointsApart(document).length &&
  listParts(document).some((part) => part.triangles > 0);

/** The figure whose joints a body without any gets. */
export const skeletonWanted = (target: Target, chosen?: string): Figure =>
  (chosen === undefined ? figureOf(target) : shippedFigure(chosen)) ?? (shippedFigure(PLAIN) as Figure);

type Moved = Readonly<Partial<Record<HumanoidRole, readonly [number, number, number]>>>;

/** Joints as they were found, but for those that somebody moved. */
export const placedJoints = ({ joints }: Landmarks, moved: Moved): JointFound[] =>
  joints.map((joint) => {
    const at = moved[joint.role];
    return at ? { ...joint, at: [...at], how: 'hand', confidence: 1 } : joint;
  });

function toldOf({ confidence }: Landmarks, joints: readonly JointFound[], moved: Moved): Finding[] {
  const findings: Finding[] = [],
    assumed = joints.filter(({ how, role }) => how === 'proportion' && !isFingerRole(role)),
    fists = (['left', 'right'] as const).filter((side) =>
      joints.some(({ role, how }) => role === `${side}MiddleProximal` && how === 'proportion'),
    ),
    strangers = Object.keys(moved).filter((role) => !joints.some((joint) => joint.role === role));
  if (confidence < SURE)
    findings.push({
      code: 'fit.doubtful',
      severity: 'warning',
      message: `Its measures are hardly those of one standing adult (${Math.round(confidence * 100)} of 100): look at every joint before you go on.`,
      measured: Math.round(confidence * 100),
      limit: SURE * 100,
      repair: 'fit.skeleton',
    });
  if (fists.length)
    findings.push({
      code: 'fit.hands',
      severity: 'warning',
      message: `No five fingers came free on the ${fists.length === 2 ? 'hands' : `${fists[0]} hand`}: ${fists.length === 2 ? 'their' : 'its'} finger joints are placed by proportion. Look at them, and move what is off.`,
      measured: fists.length,
      limit: 0,
      repair: 'fit.skeleton',
    });
  if (assumed.length)
    findings.push({
      code: 'fit.assumed',
      severity: 'info',
      message: `By proportion, since straight limbs don't show where they bend: ${assumed.map(({ role }) => bendOf(role)).join(', ')}.`,
      measured: assumed.length,
    });
  if (strangers.length)
    findings.push({
      code: 'fit.moved-strangers',
      severity: 'warning',
      message: `Moved by hand, but not found in this body: ${strangers.map(bendOf).join(', ')}.`,
      measured: strangers.length,
      limit: 0,
    });
  return findings;
}
/** What people call the place that a bone begins at. */
const BENDS: Readonly<Record<string, string>> = {
  UpperArm: 'shoulder',
  LowerArm: 'elbow',
  Hand: 'wrist',
  UpperLeg: 'hip',
  LowerLeg: 'knee',
  Foot: 'ankle',
  Toes: 'ball of the foot',
};
export function bendOf(role: string): string {
  const side = /^(left|right)(.+)$/.exec(role);
  return side ? `${side[1]} ${BENDS[side[2]] ?? roleLabel(side[2]).toLowerCase()}` : roleLabel(role).toLowerCase();
}
