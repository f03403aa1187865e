import type { Node } from '@gltf-transform/core';
import { HUMANOID_PARENT, HUMANOID_ROLES, type HumanoidRole } from '../../character/index.ts';

/** Bones that VRM 1.0 wants of everybody (VRMC_vrm, humanoid). */
export const VRM_REQUIRED: readonly HumanoidRole[] = [
  'hips',
  'spine',
  'head',
  ...(['left', 'right'] as const).flatMap((side) =>
    (['UpperLeg', 'LowerLeg', 'Foot', 'UpperArm', 'LowerArm', 'Hand'] as const).map(
      (bone): HumanoidRole => `${side}${bone}`,
    ),
  ),
];
/** What must stand between a bone and the rest of the body, where the bone is there. */
const WANTS: Partial<Record<HumanoidRole, HumanoidRole>> = { upperChest: 'chest', chest: 'spine' };

export interface HumanBones {
  bones: Map<HumanoidRole, Node>;
  /** Bones that have a joint which hangs elsewhere than VRM wants it: that joint is left without a role. */
  astray: HumanoidRole[];
  missing: HumanoidRole[];
}

/** @param roles joint name → role @param joints of the skeleton, a parent before its children */
export function humanBones(joints: readonly Node[], roles: Readonly<Record<string, string>>): HumanBones {
  const bones = new Map<HumanoidRole, Node>(),
    astray: HumanoidRole[] = [];
  for (const role of HUMANOID_ROLES) {
    const joint = joints.find((one) => roles[one.getName()] === role);
    if (!joint) continue;
    const parent = aboveOf(role, bones),
      wanted = WANTS[role];
    if ((parent && !hangsBelow(joint, bones.get(parent) as Node)) || (wanted && !bones.has(wanted))) astray.push(role);
    else bones.set(role, joint);
  }
  return { bones, astray, missing: VRM_REQUIRED.filter((role) => !bones.has(role)) };
}

/** The next bone up that is there. */
function aboveOf(role: HumanoidRole, bones: ReadonlyMap<HumanoidRole, Node>): HumanoidRole | null {
  for (let at = HUMANOID_PARENT[role] as HumanoidRole | null; at; at = HUMANOID_PARENT[at])
    if (bones.has(at)) return at;
  return null;
}

function hangsBelow(joint: Node, above: Node): boolean {
  for (let at = joint.getParentNode(); at; at = at.getParentNode()) if (at === above) return true;
  return false;
}
