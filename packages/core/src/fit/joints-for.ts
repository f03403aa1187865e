import type { Document, Skin as GltfSkin } from '@gltf-transform/core';
import { bindWhereJointsStand, type HumanoidRole } from '../character/index.ts';
import type { Placed } from '../wrap/index.ts';

/** What the skin of laid parts is called: one for all of them. */
const FITTED = 'fitted';
const holds = (skin: GltfSkin, { joints }: Placed['skeleton']): boolean => {
  const own = skin.listJoints();
  return own.length === joints.length && own.every((joint, i) => joint === joints[i]);
};

/**
 * Which joint of a character each joint of a body is: by name, else by role, else what the one above is.
 * @returns a skin bound where the character's joints stand, the slot in it of each joint of the body, and names that the
 * character lacks
 */
export function jointsFor(
  document: Document,
  body: Placed,
  { skeleton, roles }: Placed,
): { skin: GltfSkin; slots: Uint16Array; without: string[] } {
  const byName = new Map(skeleton.joints.map((joint, i) => [joint.getName(), i])),
    roleOf = new Map([...body.roles].map(([role, joint]): [number, HumanoidRole] => [joint, role])),
    slots = new Uint16Array(body.skeleton.joints.length),
    without: string[] = [],
    there = document
      .getRoot()
      .listSkins()
      .find((one) => one.getName() === FITTED && holds(one, skeleton)),
    skin = there ?? document.createSkin(FITTED);
  body.skeleton.joints.forEach((joint, i) => {
    const role = roleOf.get(i),
      found = byName.get(joint.getName()) ?? (role && roles.get(role));
    if (found !== undefined) slots[i] = found;
    else {
      const above = body.skeleton.parent[i];
      slots[i] = above >= 0 ? slots[above] : 0;
      without.push(joint.getName());
    }
  });
  if (!there) {
    for (const joint of skeleton.joints) skin.addJoint(joint);
    bindWhereJointsStand(document, skin, skeleton);
  }
  return { skin, slots, without };
}
