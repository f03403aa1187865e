import { isHumanoidRole, jointPosition, type Skeleton } from '../../character/index.ts';
import { type RoleFound, roleIndex } from '../../rig/index.ts';
import type { Bone } from '../bind-voxels.ts';

const BONE_ROLES = /^(helper|unknown|extra)$/;

/** What each joint moves by itself: from its place to the middle of what hangs on it. */
export function bonesOf(
  skeleton: Skeleton,
  roles: readonly RoleFound[],
  height: number,
): { bones: Bone[]; joints: number[] } {
  const bones: Bone[] = [],
    joints: number[] = [],
    hips = roleIndex(roles).get('hips') ?? 0,
    k = height / 1.75;
  const above = new Set<number>();
  for (let j = skeleton.parent[hips]; j >= 0; j = skeleton.parent[j]) above.add(j);
  const eyes = (['leftEye', 'rightEye'] as const).flatMap((role) => {
    const eye = roleIndex(roles).get(role);
    return eye === undefined ? [] : [jointPosition(skeleton, eye)];
  });
  skeleton.joints.forEach((_joint, j) => {
    const { role } = roles[j],
      from = jointPosition(skeleton, j);
    if (above.has(j) || role === 'end' || role === 'face' || role === 'tongue' || role.endsWith('Eye')) return;
    const children = skeleton.joints.flatMap((_, c) => (skeleton.parent[c] === j ? [c] : []));
    const main = children.filter(
      (c) =>
        (isHumanoidRole(roles[c].role) && !/Eye|jaw/.test(roles[c].role)) ||
        (role.endsWith('Hand') && BONE_ROLES.test(roles[c].role)),
    );
    const tails = main.length ? main : children.filter((c) => roles[c].role === 'end');
    if (BONE_ROLES.test(role) && !main.length) return;
    let to = from;
    if (role === 'jaw') {
      if (!eyes.length) return;
      to = [from[0], eyes[0][1] - 0.105 * k, eyes[0][2] + 0.005 * k];
    } else if (role !== 'twist' && tails.length)
      to = [0, 1, 2].map(
        (i) => tails.reduce((sum, c) => sum + jointPosition(skeleton, c)[i], 0) / tails.length,
      ) as typeof from;
    else if (role === 'head') to = [from[0], from[1] + 0.16 * k, from[2] + 0.02 * k];
    // A head reaches forward as it reaches up: without its face the lips would lie as near to the neck.
    const also =
      role === 'head' && eyes.length ? [{ from, to: [0, eyes[0][1] - 0.03 * k, eyes[0][2] - 0.02 * k] }] : undefined;
    bones.push({ from, to, also });
    joints.push(j);
  });
  return { bones, joints };
}
