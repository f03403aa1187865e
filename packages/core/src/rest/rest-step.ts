import * as v from 'valibot';
import { skeletonOf } from '../character/index.ts';
import { quatAngle, type Quat } from '../geometry/index.ts';
import type { Finding } from '../problem.ts';
import {
  armDirections,
  armsDown,
  directionsOf,
  figureDocument,
  jointRoles,
  roleIndex,
  turnsToward,
  type Directions,
} from '../rig/index.ts';
import { measure } from '../measures.ts';
import { worded } from '../settings.ts';
import { defineStep } from '../step.ts';
import { figureOf, isStatic, type Target } from '../targets/index.ts';
import { changeRest } from './change-rest.ts';
import { restErrors, returnsHome } from './rest-error.ts';

export const REST_POSES = ['keep', 'arms-out', 'arms-down', 'figure'] as const;
export type RestPose = (typeof REST_POSES)[number];

/** The pose a target wants where nothing else is said: its own, or its figure's. */
export const wantedRest = (target: Target): RestPose => target.restPose ?? (figureOf(target) ? 'figure' : 'keep');

/** How the bones of a rest pose point; null for the pose a character has. */
export function restDirections(pose: RestPose, target: Target): Directions | null {
  if (pose === 'arms-out') return armDirections(0);
  if (pose === 'arms-down') return armDirections(45);
  const figure = figureOf(target);
  if (pose === 'keep' || !figure) return null;
  const model = figureDocument(figure),
    skeleton = skeletonOf(model);
  return directionsOf(skeleton, roleIndex(jointRoles(model, skeleton)));
}

export const restStep = defineStep({
  id: 'rest.convert',
  station: 'rest-pose',
  title: 'Rest pose',
  needs: ['K4', 'F2'],
  settings: v.object({
    /** What the target asks for where not given. */
    pose: v.optional(v.picklist(REST_POSES)),
    /** `exact`: posed back into its old rest the mesh is what it was; `forward`: as linear blending bends it; `better`: whichever moves more like the source. */
    method: worded(v.optional(v.picklist(['better', 'exact', 'forward']), 'better'), {
      title: 'How the mesh goes along',
      words: { better: 'Whichever is nearer', exact: 'Exact return', forward: 'As it blends' },
    }),
  }),
  reads: (target) => [target.restPose ?? null, target.joints.figure ?? null, isStatic(target)],
  applies: (document) => document.getRoot().listSkins().length > 0,
  async run(document, settings, target) {
    const skeleton = skeletonOf(document),
      roles = roleIndex(jointRoles(document, skeleton)),
      pose = settings.pose ?? wantedRest(target),
      findings: Finding[] = [];
    const before = armsDown(skeleton, roles) ?? 0,
      wanted = restDirections(pose, target);
    if (pose === 'figure' && !wanted)
      findings.push({
        code: 'rest.no-figure',
        severity: 'warning',
        message: 'The target has no figure whose rest pose could be taken; the pose was kept.',
        repair: 'rest.convert',
      });
    const turns: Quat[] = wanted ? turnsToward(skeleton, roles, wanted) : [];
    const most = Math.max(0, ...turns.map(quatAngle));
    if (most < 0.1 * (Math.PI / 180))
      return {
        measures: [measure('arms-below-straight-out', tenths(before), tenths(before)), measure('largest-turn', 0, 0)],
        findings,
      };
    const error = restErrors(document, turns, skeleton, roles);
    // Back in the pose it came in, blending forward undoes what brought it here; what stays as it stands looks as blending makes it.
    const method =
      settings.method === 'better'
        ? isStatic(target) || returnsHome(document, turns, skeleton) || error.forward < error.exact
          ? 'forward'
          : 'exact'
        : settings.method;
    const change = changeRest(document, turns, method, skeleton);
    const after = skeletonOf(document),
      now = armsDown(after, roleIndex(jointRoles(document, after))) ?? 0;
    if (change.stretch > 3)
      findings.push({
        code: 'rest.stretch',
        severity: 'warning',
        message: `Somewhere the mesh is stretched ${change.stretch.toFixed(1)} times by the turn of ${change.mostDegrees.toFixed(0)}°: look at shoulders and hands, or choose the other method.`,
        measured: change.stretch,
        limit: 3,
        repair: 'rest.convert',
      });
    return {
      measures: [
        measure('arms-below-straight-out', tenths(before), tenths(now)),
        measure('largest-turn', 0, tenths(change.mostDegrees)),
        measure('joints-turned', 0, change.joints),
        measure('off-in-motion', 0, Math.round(error[method] * 1000) / 1000),
      ],
      findings,
    };
  },
});
const tenths = (value: number): number => Math.round(value * 10) / 10;
