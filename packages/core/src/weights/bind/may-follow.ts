import { type HumanoidRole, isHumanoidRole, jointPosition, type Skeleton } from '../../character/index.ts';
import { vertexNormals } from '../../geometry/index.ts';
import { type RoleFound, roleIndex } from '../../rig/index.ts';
import { type Bone, firstAtPlace } from '../bind-voxels.ts';
import { findMouth, jawShares } from '../mouth.ts';
import { type Limb, limbOf, limbsOf } from '../worn.ts';
import type { Body } from './body.ts';

/** The jaw moves what lies below the mouth in front of it; a limb's joints of one side move nothing on the other, nor what is worn over the trunk. */
export function mayFollow(
  skeleton: Skeleton,
  roles: readonly RoleFound[],
  bones: readonly Bone[],
  body: Body,
  height: number,
  joints: readonly number[],
): (vertex: number, bone: number) => number {
  const { positions, ranges } = body,
    partAt = new Uint16Array(positions.length / 3),
    index = roleIndex(roles),
    limb = joints.map((joint) => limbFor(skeleton, roles, joint));
  ranges.forEach(({ first, count }, p) => partAt.fill(p, first, first + count));
  const follows = ranges.map(({ part, first, count }) => {
    const limbs = limbsOf(part, positions.subarray(first * 3, (first + count) * 3), skeleton, index, height);
    return limb.map((own) => own === null || limbs.has(own));
  });
  const rule = joints.map((joint, b) => {
    const { role } = roles[joint],
      x = jointPosition(skeleton, joint)[0];
    if (role === 'jaw') {
      const moves = jawRule(body, bones[b], eyeHeight(skeleton, index), height);
      return (v: number) => moves(v, partAt[v]);
    }
    if (!/Arm|Hand|Thumb|Index|Middle|Ring|Little|Shoulder|Foot|Toes|LowerLeg/.test(role)) return null;
    return (v: number) => Number(positions[v * 3] * Math.sign(x) > -0.01 * height);
  });
  return (vertex, bone) => (follows[partAt[vertex]][bone] ? (rule[bone]?.(vertex) ?? 1) : 0);
}

/** What may open with the jaw: of the face and of what is in the mouth, what lies below the mouth's line; less and less down the throat and towards the ears. */
function jawRule(
  { positions, indices, ranges }: Body,
  bone: Bone,
  eyes: number,
  height: number,
): (vertex: number, part: number) => number {
  const k = height / 1.75,
    face = { positions, indices, normals: vertexNormals(positions, indices), first: firstAtPlace(positions), ranges },
    jaw = jawShares(face, findMouth(face, eyes, k), k),
    behind = (bone.from[2] + bone.to[2]) / 2 - 0.04 * k,
    throat = bone.to[1] - 0.036 * k;
  const bare = ranges.some(({ part }) => part.kind === 'skin' || part.kind === 'lips'),
    opens = ranges.map(
      ({ part }) =>
        part.kind === 'skin' ||
        part.kind === 'lips' ||
        part.kind === 'teeth' ||
        part.kind === 'gums' ||
        part.kind === 'tongue' ||
        (!bare && part.kind === 'other'),
    );
  const share = (distance: number, over: number) => Math.max(0, Math.min(1, distance / (over * k)));
  return (v, part) =>
    opens[part]
      ? jaw[v] * share(positions[v * 3 + 2] - behind, 0.022) * share(positions[v * 3 + 1] - throat, 0.027)
      : 0;
}

const eyeHeight = (skeleton: Skeleton, index: ReadonlyMap<HumanoidRole, number>): number =>
  jointPosition(skeleton, index.get('leftEye') ?? index.get('rightEye') ?? 0)[1];

/** The limb that a joint is of: its own, or that of the joint it hangs on (twists). */
function limbFor(skeleton: Skeleton, roles: readonly RoleFound[], joint: number): Limb | null {
  for (let j = joint; j >= 0; j = skeleton.parent[j]) if (isHumanoidRole(roles[j].role)) return limbOf(roles[j].role);
  return null;
}
