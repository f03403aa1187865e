import { HUMANOID_ROLES } from '../character/index.ts';
import type { Target } from './schema.ts';

/** What a delivery target says about joints. */
export interface SkeletonRule {
  /** `all`: every joint; `humanoid`: the humanoid bones; `body`: those without fingers, toes and face. */
  keep: 'all' | 'humanoid' | 'body';
  /** Name by role; a role without one keeps the joint's own name. */
  names: Partial<Record<string, string>>;
  /** Most joints, or none. */
  maxJoints?: number;
}

/** Joint name by humanoid role as the target wants it. */
export function targetJointNames(target: Target): Record<string, string> {
  const { names } = target.joints;
  if (names === 'source') return {};
  if (names === 'roles') return Object.fromEntries(HUMANOID_ROLES.map((role) => [role, role]));
  return names;
}

/** What a target asks of a skeleton; one that ends in the mesh keeps its joints until then. */
export const skeletonRule = (target: Target): SkeletonRule => ({
  keep: target.joints.keep === 'none' ? 'all' : target.joints.keep,
  names: targetJointNames(target),
  maxJoints: target.joints.max,
});
