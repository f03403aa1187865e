import type { Node } from '@gltf-transform/core';
import { listParts, roleLabel, skeletonOf } from '../../character/index.ts';
import { quatAngle } from '../../geometry/index.ts';
import { restDirections, wantedRest } from '../../rest/index.ts';
import { jointRoles, roleIndex, turnsToward } from '../../rig/index.ts';
import { missingRoles } from '../../skeleton/index.ts';
import { figureOf, isStatic } from '../../targets/index.ts';
import { judged, noneOf, type Rule } from '../judgement.ts';

/** How far a bone may point from where the target wants it, degrees. */
const REST_DEGREES = 2;

const NO_SKELETON =
  "The character has no skeleton, so it can't be posed. Fit puts one into a standing person, or says why not; bring the skeleton with the mesh, take one from another character at Weights, or choose a target that asks for a static figure.";

/** A skeleton where one is asked for, with every joint that can't be done without; none where a static figure is. */
const present: Rule = ({ summary: { joints }, target }) => {
  if (isStatic(target))
    return noneOf(
      { rule: 'joints.none', title: 'Joints in a static figure', station: 'skeleton' },
      joints.map((joint) => joint.name),
      () =>
        'The target asks for a static figure, and joints are left. Switch the step that takes them into the mesh on.',
    );
  if (!joints.length)
    return {
      ...judged({ rule: 'joints.present', title: 'Skeleton', station: 'skeleton' }, 0, 1, false),
      message: NO_SKELETON,
    };
  return noneOf(
    { rule: 'joints.roles', title: 'Required joints', station: 'skeleton', unit: 'missing' },
    missingRoles(joints).map(roleLabel),
    (missing) => `Not found: ${missing.join(', ')}. Tie them in the loom.`,
  );
};

const namesOnce: Rule = ({ summary: { joints } }) =>
  noneOf(
    { rule: 'joints.names', title: 'Joint names used twice', station: 'skeleton' },
    duplicates(joints.map((joint) => joint.name)),
    (twice) => `Used twice: ${twice.slice(0, 4).join(', ')}.`,
  );

const restPose: Rule = ({ document, target }) => {
  const wanted = restDirections(wantedRest(target), target);
  // Without joints nothing says how the arms of a static figure stand; it is measured against its source so posed.
  if (!wanted || isStatic(target)) return null;
  const skeleton = skeletonOf(document),
    turns = turnsToward(skeleton, roleIndex(jointRoles(document, skeleton)), wanted);
  const off = Math.round(Math.max(0, ...turns.map(quatAngle)) * (1800 / Math.PI)) / 10;
  return judged(
    { rule: 'rest.pose', title: "Rest pose off the target's", station: 'rest-pose', unit: '°' },
    off,
    REST_DEGREES,
    off <= REST_DEGREES,
  );
};

const likeFigure: Rule = ({ document, target }) => {
  const figure = figureOf(target);
  if (!figure || isStatic(target)) return null;
  const names = new Set(skeletonOf(document).joints.map((joint) => joint.getName())),
    lost = figure.joints.filter((joint) => joint.role !== 'end' && !names.has(joint.name)).map((joint) => joint.name),
    more = [...names].filter((name) => !figure.joints.some((joint) => joint.name === name));
  return noneOf(
    { rule: 'joints.figure', title: `Joints unlike ${figure.title}`, station: 'skeleton' },
    [...lost, ...more],
    (unlike) => `Unlike ${figure.title}: ${unlike.slice(0, 5).join(', ')}. Switch the joints' step on.`,
  );
};

const bound: Rule = ({ document }) => {
  const joints = new Set(skeletonOf(document).joints);
  if (!joints.size) return null;
  const follows = (node: Node): boolean => {
    for (let at: Node | null = node; at; at = at.getParentNode()) if (at.getSkin() || joints.has(at)) return true;
    return false;
  };
  const loose = listParts(document).filter((part) => !follows(part.node));
  return noneOf(
    { rule: 'joints.unbound', title: 'Parts that follow no joint', station: 'weights' },
    loose.map((part) => part.name),
    (names) =>
      `Left behind when the figure moves: ${names.slice(0, 5).join(', ')}. Give them weights at Weights, or leave them out.`,
  );
};

function duplicates(names: readonly string[]): string[] {
  const seen = new Set<string>(),
    twice = new Set<string>();
  for (const name of names) {
    if (seen.has(name)) twice.add(name);
    seen.add(name);
  }
  return [...twice];
}

export const JOINTS: readonly Rule[] = [present, namesOnce, restPose, likeFigure, bound];
