import type { Document } from '@gltf-transform/core';
import {
  influencesOf,
  isFingerRole,
  isHumanoidRole,
  jointPosition,
  listParts,
  type Skeleton,
} from '../character/index.ts';
import type { Finding } from '../problem.ts';

/** A sort of joints that can go together, in the order in which a joint limit gives them up. */
export interface JointSort {
  id: string;
  title: string;
  test(role: string): boolean;
}
export const GIVE_UP: readonly JointSort[] = [
  { id: 'ends', title: 'ends', test: (role) => role === 'end' },
  { id: 'helpers', title: 'helpers', test: (role) => role === 'helper' || role === 'unknown' },
  { id: 'twists', title: 'twists', test: (role) => role === 'twist' },
  { id: 'tongue', title: 'tongue', test: (role) => role === 'tongue' },
  { id: 'face', title: 'face', test: (role) => role === 'face' },
  { id: 'props', title: 'props', test: (role) => role === 'extra' },
  { id: 'toes', title: 'toes', test: (role) => role.endsWith('Toes') },
  { id: 'finger-tips', title: 'finger tips', test: (role) => isFingerRole(role) && role.endsWith('Distal') },
  { id: 'fingers', title: 'fingers', test: isFingerRole },
];

/** Sum of weights that each joint holds. */
export function weightCarried(document: Document, skeleton: Skeleton): Float64Array {
  const out = new Float64Array(skeleton.joints.length),
    done = new Set<unknown>();
  for (const part of listParts(document)) {
    const skin = part.node.getSkin(),
      influences = skin && !done.has(part.prim) ? influencesOf(part.prim) : null;
    if (!skin || !influences) continue;
    done.add(part.prim);
    const at = skin.listJoints().map((joint) => skeleton.index.get(joint) ?? -1);
    for (let k = 0; k < influences.joints.length; k++) {
      const joint = at[influences.joints[k]];
      if (joint >= 0) out[joint] += influences.weights[k];
    }
  }
  return out;
}

export type IdleKind = 'origin' | 'root' | 'twin' | 'end' | 'idle';
export const IDLE_TITLES: Record<IdleKind, string> = {
  origin: 'at the origin, moving nothing',
  root: 'roots of their own, moving nothing',
  twin: 'on top of the joint above, moving nothing',
  end: 'ends, moving nothing',
  idle: 'others, moving nothing',
};

/**
 * Joints that move nothing: neither they nor any joint below them holds weight, and no role of the body is theirs. Kept
 * or let go by choice: some carry props.
 * @param unitMetres length of one unit, for what counts as the same place
 */
export function idleJoints(
  document: Document,
  skeleton: Skeleton,
  roles: readonly { role: string }[],
  unitMetres = 1,
): { joint: number; kind: IdleKind }[] {
  const busy = Array.from(weightCarried(document, skeleton), (sum) => sum > 0),
    leaf = new Uint8Array(busy.length).fill(1);
  // Children come after their parents, so one pass from the end carries everything up.
  for (let j = busy.length - 1; j >= 0; j--) {
    const parent = skeleton.parent[j];
    if (parent >= 0) {
      leaf[parent] = 0;
      if (busy[j]) busy[parent] = true;
    }
  }
  const at = skeleton.joints.map((_, j) => jointPosition(skeleton, j)),
    near = 0.0001 / unitMetres;
  return at.flatMap((place, joint) => {
    if (busy[joint] || isHumanoidRole(roles[joint].role)) return [];
    const parent = skeleton.parent[joint];
    const kind: IdleKind =
      Math.hypot(...place) < near * 10
        ? 'origin'
        : parent < 0
          ? 'root'
          : Math.hypot(...place.map((x, k) => x - at[parent][k])) < near
            ? 'twin'
            : leaf[joint]
              ? 'end'
              : 'idle';
    return [{ joint, kind }];
  });
}

/** What inspection says of them: ends are a habit of many tools and no fault, the others are looked at. */
export function idleFindings(
  document: Document,
  skeleton: Skeleton,
  roles: readonly { role: string }[],
  unitMetres: number,
): Finding[] {
  const found = idleJoints(document, skeleton, roles, unitMetres).filter(
    ({ kind }) => kind === 'origin' || kind === 'root' || kind === 'twin',
  );
  if (!found.length) return [];
  const kinds = [...new Set(found.map(({ kind }) => kind))].map((kind) => {
    const some = found.filter((entry) => entry.kind === kind);
    return `${some.length} ${IDLE_TITLES[kind].replace(', moving nothing', '')} (${some
      .slice(0, 3)
      .map(({ joint }) => skeleton.joints[joint].getName())
      .join(', ')}${some.length > 3 ? ' …' : ''})`;
  });
  return [
    {
      code: 'skeleton.useless-joints',
      severity: 'info',
      message: `${found.length} ${found.length === 1 ? 'joint moves' : 'joints move'} nothing: ${kinds.join('; ')}. Let them go or keep them in the loom.`,
      where: skeleton.joints[found[0].joint].getName(),
      measured: found.length,
      repair: 'skeleton.remap',
    },
  ];
}

/** Joints that could go, sort by sort: those that move nothing first, then as a limit would take them. */
export interface JointGroup {
  id: string;
  title: string;
  joints: number[];
  idle: boolean;
}
export function jointGroups(
  document: Document,
  skeleton: Skeleton,
  roles: readonly { role: string }[],
  unitMetres = 1,
): JointGroup[] {
  const idle = idleJoints(document, skeleton, roles, unitMetres),
    taken = new Set(idle.map(({ joint }) => joint));
  const groups: JointGroup[] = (Object.keys(IDLE_TITLES) as IdleKind[]).map((kind) => ({
    id: `idle-${kind}`,
    title: IDLE_TITLES[kind],
    joints: idle.filter((entry) => entry.kind === kind).map(({ joint }) => joint),
    idle: true,
  }));
  for (const sort of GIVE_UP) {
    const joints = roles.flatMap(({ role }, joint) => (!taken.has(joint) && sort.test(role) ? [joint] : []));
    for (const joint of joints) taken.add(joint);
    groups.push({ id: sort.id, title: sort.title, joints, idle: false });
  }
  return groups.filter((group) => group.joints.length);
}
