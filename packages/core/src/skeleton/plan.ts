import type { Document } from '@gltf-transform/core';
import {
  freeName,
  HUMANOID_PARENT,
  isFaceRole,
  isFingerRole,
  isHumanoidRole,
  REQUIRED_ROLES,
  skeletonOf,
  type HumanoidRole,
  type Skeleton,
} from '../character/index.ts';
import type { SkeletonRule } from '../targets/index.ts';
import { GIVE_UP } from './groups.ts';
import { jointRoles, type RoleFound } from '../rig/index.ts';

export interface JointPlan {
  joint: number;
  found: RoleFound;
  /** Name in the result; null where the joint goes and its weight moves to `into`. */
  target: string | null;
  /** Joint (index in the source) that takes the weight, or the joint itself. */
  into: number;
  /** Why, in words. */
  why: string;
}

/**
 * Decides for every joint what becomes of it: renamed to the target's name for its role, kept, or merged into
 * the nearest joint above that stays. Nothing is changed yet.
 * @param ties joint name → target joint name, or '' to merge it; corrections by hand
 */
export function planSkeleton(
  document: Document,
  rule: SkeletonRule,
  ties: Readonly<Record<string, string>> = {},
  skeleton: Skeleton = skeletonOf(document),
  roles: readonly RoleFound[] = jointRoles(document, skeleton),
): JointPlan[] {
  const roleOfName = new Map(Object.entries(rule.names).map(([role, name]) => [name as string, role]));
  const tied = new Map<string, string>();
  const plans: JointPlan[] = skeleton.joints.map((node, joint) => {
    const name = node.getName();
    const tie = ties[name];
    let found = roles[joint];
    if (tie !== undefined && tie !== '') {
      const role = roleOfName.get(tie) ?? tie;
      if (isHumanoidRole(role)) found = { role, confidence: 1, reason: 'tied by hand' };
      tied.set(role, name);
    }
    const keeps = tie === '' ? false : tie !== undefined || keepsRole(rule, found.role);
    const target = keeps ? (isHumanoidRole(found.role) ? (rule.names[found.role] ?? name) : name) : null;
    return {
      joint,
      found,
      target,
      into: joint,
      why: tie === '' ? 'let go by hand' : keeps ? found.reason : `the target has no ${kindOf(found.role)}`,
    };
  });
  // A role that a joint was tied to by hand is no longer the role of the one that had it.
  for (const plan of plans) {
    const owner = tied.get(plan.found.role);
    if (owner !== undefined && owner !== skeleton.joints[plan.joint].getName()) {
      const name = skeleton.joints[plan.joint].getName();
      plan.found = { role: 'extra', confidence: 0.5, reason: 'its role was tied to another joint by hand' };
      plan.target = rule.keep === 'all' ? name : null;
      plan.why = plan.found.reason;
    }
  }
  giveUp(plans, rule);
  keepUnknown(plans, skeleton);
  uniqueNames(plans);
  settle(plans, skeleton);
  return plans;
}

/** Whether a target keeps joints of a role at all. */
export function keepsRole(rule: Pick<SkeletonRule, 'keep'>, role: string): boolean {
  if (rule.keep === 'all') return true;
  if (!isHumanoidRole(role)) return false;
  return rule.keep === 'humanoid' || !(isFingerRole(role) || isFaceRole(role) || role.endsWith('Toes'));
}

const kindOf = (role: string): string =>
  isFingerRole(role)
    ? 'finger joints'
    : isFaceRole(role)
      ? 'face joints'
      : isHumanoidRole(role)
        ? 'such joint'
        : `${role} joints`;

function giveUp(plans: JointPlan[], rule: SkeletonRule): void {
  if (rule.maxJoints === undefined) return;
  for (const group of GIVE_UP) {
    // Last in the hierarchy first, so that a chain is shortened from its end.
    for (let i = plans.length - 1; i >= 0; i--) {
      if (plans.filter((plan) => plan.target !== null).length <= rule.maxJoints) return;
      if (plans[i].target !== null && plans[i].found.reason !== 'tied by hand' && group.test(plans[i].found.role)) {
        plans[i].target = null;
        plans[i].why = `over the limit of ${rule.maxJoints} joints; ${group.title} go first`;
      }
    }
  }
}

/** A skeleton in which nothing was recognised stays as it is: the user ties what it is. */
function keepUnknown(plans: JointPlan[], skeleton: Skeleton): void {
  if (plans.some((plan) => plan.target !== null)) return;
  for (const plan of plans) {
    plan.target = skeleton.joints[plan.joint].getName();
    plan.why = 'no joint was recognised: all stay until some are tied by hand';
  }
}

function uniqueNames(plans: JointPlan[]): void {
  const taken = new Set<string>();
  for (const plan of plans) {
    if (plan.target === null) continue;
    plan.target = freeName(plan.target || 'joint', taken, '_');
    taken.add(plan.target);
  }
}

/** Weight goes to the nearest kept joint above; where none is, to the first kept joint. */
function settle(plans: JointPlan[], skeleton: Skeleton): void {
  const first = plans.findIndex((plan) => plan.target !== null);
  for (const plan of plans) {
    let at = plan.joint;
    while (at >= 0 && plans[at].target === null) at = skeleton.parent[at];
    plan.into = at >= 0 ? at : first;
  }
}

/** Required humanoid roles that no joint has. */
export function missingRoles(roles: readonly { role: string }[]): HumanoidRole[] {
  const have = new Set(roles.map((found) => found.role));
  return REQUIRED_ROLES.filter((role) => !have.has(role));
}

/** The nearest joint whose role lies above `role` in the humanoid hierarchy and which the character has. */
export function humanoidParentIn(role: HumanoidRole, has: (role: HumanoidRole) => boolean): HumanoidRole | null {
  for (let r: HumanoidRole | null = HUMANOID_PARENT[role]; r; r = HUMANOID_PARENT[r]) if (has(r)) return r;
  return null;
}
