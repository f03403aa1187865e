import type { Document } from '@gltf-transform/core';
import {
  isHumanoidRole,
  jointPosition,
  readDossier,
  skeletonOf,
  type HumanoidRole,
  type JointRole,
  type Skeleton,
} from '../character/index.ts';
import {
  quatBetween,
  quatConjugate,
  quatMultiply,
  quatRotate,
  rotationOf,
  sub,
  unit,
  type Quat,
  type Vec3,
} from '../geometry/index.ts';
import type { Figure } from '../targets/index.ts';
import {
  directionsOf,
  turnsToward,
  figureDocument,
  alongBone,
  boneAbove,
  matchFigure,
  spanOf,
  trunkOf,
  type Rig,
  jointRoles,
  roleIndex,
  type RoleFound,
} from '../rig/index.ts';
import type { JointPlan } from './plan.ts';

export interface FigureJointPlan {
  name: string;
  role: JointRole;
  /** Index in the plan, −1 for a root; parents come first. */
  parent: number;
  /** Joint of the source that it is, −1 where it is put in. */
  from: number;
  at: Vec3;
  /** Global rotation in the source's rest pose. */
  turn: Quat;
  why: string;
}

export interface FigurePlan {
  joints: FigureJointPlan[];
  /** Where each source joint's weight goes; amounts add up to one. */
  shares: { to: number; amount: number }[][];
  found: readonly RoleFound[];
  /** Source joint → reason, where it has no counterpart. */
  gone: Map<number, string>;
}

export interface FigureOptions {
  ties?: Readonly<Record<string, string>>;
  /** Joints that only end a chain. */
  ends?: boolean;
}

/**
 * Decides how a character's skeleton becomes a figure's: which joint is which, where the figure's other joints come
 * to lie, which way all of them are turned, and where the weight of joints goes that the figure doesn't have.
 * Nothing is changed yet.
 */
export function planFigure(
  document: Document,
  figure: Figure,
  options: FigureOptions = {},
  skeleton: Skeleton = skeletonOf(document),
  roles: readonly RoleFound[] = jointRoles(document, skeleton),
): FigurePlan {
  const model = figureDocument(figure),
    goal: Rig = { skeleton: skeletonOf(model), roles: [] };
  goal.roles = jointRoles(model, goal.skeleton);
  const source: Rig = { skeleton, roles };
  const from = matchFigure(source, goal, options.ties);
  const kept = [...from.keys()].filter((f) => options.ends !== false || goal.roles[f].role !== 'end');
  const slot = new Map(kept.map((f, i) => [f, i]));
  // The figure's own pose, taken by this body: what turns back from there is how its joints are turned now.
  const roleAt = roleIndex(goal.roles),
    matched = new Map<HumanoidRole, number>();
  for (const [role, f] of roleAt) if (from[f] >= 0) matched.set(role, from[f]);
  const turns = turnsToward(skeleton, matched, directionsOf(goal.skeleton, roleAt));
  const turnAt: Quat[] = [],
    at: Vec3[] = [],
    former = readDossier(document).formerJoints ?? {},
    nameAt = new Map(skeleton.joints.map((joint, i) => [joint.getName(), i]));
  for (let f = 0; f < from.length; f++) {
    const above = goal.skeleton.parent[f],
      name = goal.skeleton.joints[f].getName();
    turnAt[f] = from[f] >= 0 ? turns[from[f]] : above >= 0 ? turnAt[above] : [0, 0, 0, 1];
    const before = from[f] < 0 && former[name] && nameAt.has(former[name].under) ? former[name].rest : null;
    at[f] =
      from[f] >= 0
        ? jointPosition(skeleton, from[f])
        : before
          ? [before[12], before[13], before[14]]
          : place(goal.skeleton, skeleton, from, at, f, quatConjugate(turnAt[f]));
  }
  const joints = kept.map((f): FigureJointPlan => {
    const above = goal.skeleton.parent[f],
      { role } = goal.roles[f];
    return {
      name: goal.skeleton.joints[f].getName(),
      role: isHumanoidRole(role) || from[f] < 0 ? role : roles[from[f]].role,
      parent: above < 0 ? -1 : (slot.get(above) as number),
      from: from[f],
      at: at[f],
      turn: quatMultiply(quatConjugate(turnAt[f]), rotationOf(goal.skeleton.global, f * 16)),
      why: from[f] >= 0 ? roles[from[f]].reason : 'put in by proportion',
    };
  });
  const own = new Map<number, number>();
  joints.forEach((joint, i) => {
    if (joint.from >= 0) own.set(joint.from, i);
  });
  const gone = new Map<number, string>();
  const shares = skeleton.joints.map((_, s) => {
    const to = own.get(s);
    if (to !== undefined) return [{ to, amount: 1 }];
    const way = shareOut(source, goal, from, slot, own, s);
    gone.set(s, way.why);
    return way.shares;
  });
  return { joints, shares, found: roles, gone };
}

/** Where a joint that the source lacks comes to lie: between its matched neighbours by proportion, else beside the one above, as large as the body. */
function place(
  figure: Skeleton,
  source: Skeleton,
  from: Int32Array,
  at: readonly Vec3[],
  joint: number,
  turn: Quat,
): Vec3 {
  const here = jointPosition(figure, joint);
  let a = figure.parent[joint];
  while (a >= 0 && from[a] < 0) a = figure.parent[a];
  const d = firstMatchedBelow(figure, from, joint);
  if (a < 0 && d < 0) return here;
  const scale = spanOf(source) / spanOf(figure);
  if (a < 0) {
    const s = jointPosition(source, from[d]),
      f = jointPosition(figure, d);
    return [0, 1, 2].map((k) => (here[1] < 1e-6 && k === 1 ? 0 : s[k] + (here[k] - f[k]) * scale)) as Vec3;
  }
  const fa = jointPosition(figure, a),
    sa = at[a],
    offset = sub(here, fa);
  if (d >= 0) {
    const u = sub(jointPosition(figure, d), fa),
      w = sub(jointPosition(source, from[d]), sa),
      lu = Math.hypot(...u),
      lw = Math.hypot(...w);
    if (lu > 1e-6 && lw > 1e-6) {
      const moved = quatRotate(quatBetween(unit(u), unit(w)), offset);
      return [0, 1, 2].map((k) => sa[k] + (moved[k] * lw) / lu) as Vec3;
    }
  }
  const moved = quatRotate(turn, offset);
  return [0, 1, 2].map((k) => sa[k] + moved[k] * scale) as Vec3;
}

/** The nearest matched joint below: the one that continues the chain where several are. */
function firstMatchedBelow(skeleton: Skeleton, from: Int32Array, joint: number): number {
  let level = [joint];
  while (level.length) {
    const next: number[] = [];
    for (let j = joint + 1; j < skeleton.joints.length; j++)
      if (level.includes(skeleton.parent[j])) {
        if (from[j] >= 0) return j;
        next.push(j);
      }
    level = next;
  }
  return -1;
}

/** Weight of a joint without counterpart: along the trunk and along twisted bones it is shared by place, else it goes to the joint above. */
function shareOut(
  source: Rig,
  figure: Rig,
  from: Int32Array,
  slot: ReadonlyMap<number, number>,
  own: ReadonlyMap<number, number>,
  s: number,
): { shares: { to: number; amount: number }[]; why: string } {
  const { role } = source.roles[s];
  const trunk = trunkOf(source),
    here = trunk.joints.indexOf(s);
  const blend = (places: { to: number; at: number }[], at: number) => {
    places.sort((x, y) => x.at - y.at);
    const next = places.findIndex((entry) => entry.at >= at);
    if (next <= 0) return [{ to: places[next < 0 ? places.length - 1 : 0].to, amount: 1 }];
    const [a, b] = [places[next - 1], places[next]],
      t = (at - a.at) / (b.at - a.at || 1);
    return [
      { to: a.to, amount: 1 - t },
      { to: b.to, amount: t },
    ].filter((share) => share.amount > 1e-6);
  };
  if (here >= 0) {
    const places = trunk.joints.flatMap((joint, i) => {
      const to = own.get(joint);
      return to === undefined ? [] : [{ to, at: trunk.at[i] }];
    });
    if (places.length)
      return { shares: blend(places, trunk.at[here]), why: 'shared between the spine joints beside it' };
  }
  const bone = boneAbove(source, s),
    kept = bone < 0 ? undefined : own.get(bone);
  if (role === 'twist' && kept !== undefined) {
    const places = [{ to: kept, at: 0 }];
    for (const [f, to] of slot)
      if (figure.roles[f].role === 'twist' && from[f] >= 0 && boneAbove(source, from[f]) === bone)
        places.push({ to, at: alongBone(source, bone, from[f]) });
    if (places.length > 1)
      return { shares: blend(places, alongBone(source, bone, s)), why: 'shared between the twist joints of its bone' };
  }
  for (let j = source.skeleton.parent[s]; j >= 0; j = source.skeleton.parent[j]) {
    const to = own.get(j);
    if (to !== undefined) return { shares: [{ to, amount: 1 }], why: 'the figure has no such joint' };
  }
  const hips = roleIndex(source.roles).get('hips');
  return {
    shares: [{ to: (hips !== undefined ? own.get(hips) : undefined) ?? 0, amount: 1 }],
    why: 'the figure has no such joint',
  };
}

/** The same plan as the loom shows plans: each source joint with the name it gets. */
export function asJointPlans(plan: FigurePlan): JointPlan[] {
  return plan.shares.map((shares, joint) => {
    const most = shares.reduce((best, share) => (share.amount > best.amount ? share : best), shares[0]);
    const to = plan.joints[most.to],
      reason = plan.gone.get(joint);
    return {
      joint,
      found: plan.found[joint],
      target: reason === undefined ? to.name : null,
      into: reason === undefined ? joint : to.from >= 0 ? to.from : joint,
      why: reason ?? plan.found[joint].reason,
    };
  });
}
