import type { Document } from '@gltf-transform/core';
import { copyDocument, createDeformer, type Skeleton, skeletonOf } from '../../character/index.ts';
import { emptyBounds, growBounds, quatAngle, quatConjugate, quatMultiply } from '../../geometry/index.ts';
import {
  directionsOf,
  jointRoles,
  matchFigure,
  poseByTurns,
  type RoleFound,
  roleIndex,
  soundCopy,
  standAsFound,
  turnsToward,
} from '../../rig/index.ts';
import { restFrames } from '../frames.ts';
import type { Standing } from '../standing.ts';

/** A figure that is mixed: on the floor, in metres, in the pose of the one it is mixed into. */
export interface Person extends Standing {
  name: string;
  document: Document;
  /** As it stands here: vertices and normals are in this pose. */
  skeleton: Skeleton;
  roles: RoleFound[];
  /** Unit normals of every vertex in character space. */
  normals: Float32Array;
  /** Degrees that its joints were turned by at most; 0 where it stood alike. */
  turnedDegrees: number;
}

/** Bones may lie as differently as people's do; beyond this it is another pose, radians. */
const ANOTHER_POSE = (8 * Math.PI) / 180;

/** The figure that is mixed into, as it stands. */
export const ownPerson = (document: Document): Person => personIn(document, '', null, 0);

/** One that is mixed in; its document stays as it is. */
export function personBeside(given: Document, name: string, own: Person): Person {
  const document = copyDocument(soundCopy(given));
  standAsFound(document);
  const skeleton = skeletonOf(document),
    turns = turnsToward(
      skeleton,
      roleIndex(jointRoles(document, skeleton)),
      directionsOf(own.skeleton, roleIndex(own.roles)),
    ),
    local = new Map(
      turns.map((turn, j) => {
        const above = skeleton.parent[j];
        return [j, above < 0 ? turn : quatMultiply(quatConjugate(turns[above]), turn)];
      }),
    ),
    most = Math.max(0, ...[...local.values()].map((turn) => quatAngle(turn)));
  return most > ANOTHER_POSE
    ? personIn(document, name, poseByTurns(skeleton, local), (most * 180) / Math.PI)
    : personIn(document, name, null, 0);
}

function personIn(document: Document, name: string, posed: Float64Array | null, turnedDegrees: number): Person {
  const deformer = createDeformer(document, () => true, false),
    skeleton = posed ? { ...deformer.skeleton, global: posed } : deformer.skeleton,
    rest = deformer.evaluate(new Float32Array(deformer.vertices * 3), {}, skeleton.global),
    normals = deformer.evaluateNormals(new Float32Array(rest.length), rest, skeleton.global);
  if (posed) ontoFloor(rest, skeleton);
  return {
    name,
    document,
    deformer,
    skeleton,
    roles: jointRoles(document, deformer.skeleton),
    rest,
    normals,
    turnedDegrees,
    sheets: deformer.ranges.map(({ part, firstVertex, vertices }) => ({
      part,
      first: firstVertex,
      vertices,
      frames: restFrames(part, skeleton),
    })),
  };
}

/** Turned joints may lift the feet. */
function ontoFloor(rest: Float32Array, { global }: Skeleton): void {
  const low = growBounds(emptyBounds(), rest).min[1];
  for (let i = 1; i < rest.length; i += 3) rest[i] -= low;
  for (let o = 13; o < global.length; o += 16) global[o] -= low;
}

/** Which joint of `other` each joint of `own` is: by name, else as skeletons are matched by roles, order and place; −1 for none. */
export function pairedJoints(own: Person, other: Person): Int32Array {
  const at = new Map(other.skeleton.joints.map((joint, j) => [joint.getName(), j])),
    named = own.skeleton.joints.map((joint) => at.get(joint.getName()) ?? -1),
    taken = new Set(named),
    matched = matchFigure(other, own);
  return Int32Array.from(named, (by, j) => (by >= 0 || taken.has(matched[j]) ? by : matched[j]));
}
