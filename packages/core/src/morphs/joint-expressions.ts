import type { Document } from '@gltf-transform/core';
import type { HumanoidRole } from '../character/index.ts';
import { quatFromAxis, type Vec3 } from '../geometry/index.ts';
import { jointRoles, poseByTurns, roleIndex } from '../rig/index.ts';
import type { ConceptId } from '../targets/index.ts';
import { NOTHING } from './cost.ts';
import { putDelta } from './deltas.ts';
import { putMorph } from './rewrite.ts';
import { inMesh, standing } from './standing.ts';

interface ByJoints {
  roles: readonly HumanoidRole[];
  /** In the body's frame: x to the character's left, y up, z to the front. */
  axis: Vec3;
  degrees: number;
}
const EYES = ['leftEye', 'rightEye'] as const,
  /** As far as a jaw opens without effort, and eyes turn before the head does. */
  GAZE = 22,
  JAW = 22;
const BY_JOINTS: Partial<Record<ConceptId, ByJoints>> = {
  jaw_open: { roles: ['jaw'], axis: [1, 0, 0], degrees: JAW },
  gaze_up: { roles: EYES, axis: [1, 0, 0], degrees: -GAZE },
  gaze_down: { roles: EYES, axis: [1, 0, 0], degrees: GAZE },
  gaze_left: { roles: EYES, axis: [0, 1, 0], degrees: GAZE },
  gaze_right: { roles: EYES, axis: [0, 1, 0], degrees: -GAZE },
};

/** What a morph is called that is made of joints, until it gets its name. */
export const jointMorph = (id: ConceptId): string =>
  `${BY_JOINTS[id]?.roles[0] === 'jaw' ? 'jaw joint' : 'eye joints'}: ${id}`;

/** What a face can do by turning its jaw or its eyes. */
export function byJoints(document: Document): ReadonlySet<ConceptId> {
  const roles = roleIndex(jointRoles(document));
  return new Set(
    (Object.keys(BY_JOINTS) as ConceptId[]).filter((id) => BY_JOINTS[id]?.roles.every((role) => roles.has(role))),
  );
}

/**
 * Makes morphs of what turned joints do to the mesh at rest, under the names of {@link jointMorph}: the way to each vertex
 * is the straight one, so that halfway a turned eye is smaller by two parts in a hundred.
 * @returns those that move something
 */
export function makeFromJoints(document: Document, ids: readonly ConceptId[]): string[] {
  if (!ids.length) return [];
  const figure = standing(document),
    { deformer, rest, sheets } = figure,
    roles = roleIndex(jointRoles(document, deformer.skeleton)),
    made: string[] = [];
  for (const id of ids) {
    const how = BY_JOINTS[id];
    if (!how?.roles.every((role) => roles.has(role))) continue;
    const turn = quatFromAxis(how.axis, (how.degrees * Math.PI) / 180),
      posed = poseByTurns(deformer.skeleton, new Map(how.roles.map((role) => [roles.get(role) as number, turn]))),
      moved = deformer.evaluate(new Float32Array(rest.length), {}, posed),
      name = jointMorph(id);
    for (let i = 0; i < moved.length; i++) {
      moved[i] -= rest[i];
      if (Math.abs(moved[i]) < NOTHING) moved[i] = 0;
    }
    for (const sheet of sheets) {
      if (!moved.subarray(sheet.first * 3, (sheet.first + sheet.vertices) * 3).some(Boolean)) continue;
      const target = document.createPrimitiveTarget(name);
      putDelta(document, target, 'POSITION', inMesh(sheet, moved));
      putMorph(document, sheet.part.mesh, name, (prim) => (prim === sheet.part.prim ? target : undefined));
      if (!made.includes(name)) made.push(name);
    }
  }
  return made;
}
