import type { Document } from '@gltf-transform/core';
import {
  HUMANOID_PARENT,
  influencesOf,
  type Influences,
  isHumanoidRole,
  isJointRole,
  jointPosition,
  readDossier,
  roleLabel,
  skeletonOf,
  subtreeOf,
  type HumanoidRole,
  type Skeleton,
} from '../character/index.ts';
import { figureByNames } from './recognise.ts';
import { guessFromName, type NameGuess } from './names.ts';
import type { RoleFound } from './role-found.ts';
import { settleHips, settleTrunk, settleUpperLegs, type Standing } from './settle-roles.ts';
import { rolesByShape } from './shape-roles.ts';

/**
 * The role of every joint: what names say and what shape says, joined, with ancestry kept (a lower arm is
 * below its upper arm). What was corrected by hand stands above both.
 */
export function jointRoles(document: Document, skeleton: Skeleton = skeletonOf(document)): RoleFound[] {
  const count = skeleton.joints.length;
  const { jointRoles: overruled = {}, declaredRoles: declared = {}, figure } = readDossier(document);
  const known = Object.keys(declared).length ? null : figureByNames(skeleton.joints.map((joint) => joint.getName())),
    ofFigure = new Map(known?.joints.map((joint) => [joint.name, joint.role]));
  const byShape = rolesByShape(skeleton);
  const shapeOf = new Map<number, HumanoidRole>([...byShape].map(([role, joint]) => [joint, role]));
  const spread = bodyWidth(skeleton);
  const names = skeleton.joints.map((joint, i) => {
    const x = jointPosition(skeleton, i)[0];
    return guessFromName(joint.getName(), Math.abs(x) < 0.01 * spread ? null : x > 0 ? 'left' : 'right');
  });
  const claims: { joint: number; role: HumanoidRole; score: number; reason: string }[] = [];
  for (let i = 0; i < count; i++) claims.push(...claimsFor(i, names[i], shapeOf.get(i)));
  claims.sort((a, b) => b.score - a.score || a.joint - b.joint);
  const out: (RoleFound | null)[] = skeleton.joints.map((joint) => {
    const said = overruled[joint.getName()];
    if (said && isJointRole(said)) return { role: said, confidence: 1, reason: 'set by hand' };
    const told = declared[joint.getName()];
    if (told && isJointRole(told))
      return {
        role: told,
        confidence: 0.99,
        reason: figure ? `by name, as in figure ${figure.title}` : 'the file says so',
      };
    const like = ofFigure.get(joint.getName());
    return known && like && isJointRole(like)
      ? { role: like, confidence: 0.98, reason: `by name, as in figure ${known.title}` }
      : null;
  });
  const fixed = new Set([...out.keys()].filter((i) => out[i])),
    said = new Set([...fixed].filter((i) => !known || !ofFigure.has(skeleton.joints[i].getName())));
  const taken = new Map<HumanoidRole, number>();
  out.forEach((found, i) => {
    if (found && isHumanoidRole(found.role)) taken.set(found.role, i);
  });
  for (const claim of claims) {
    if (out[claim.joint] || taken.has(claim.role) || !keepsAncestry(skeleton, taken, claim.joint, claim.role)) continue;
    taken.set(claim.role, claim.joint);
    out[claim.joint] = { role: claim.role, confidence: Math.min(1, claim.score), reason: claim.reason };
  }
  fillLimbs(skeleton, names, out, taken);
  const standing: Standing = { skeleton, names, out, taken, fixed };
  settleUpperLegs(standing);
  // A figure's names may be borrowed by a skeleton built otherwise; what was said by hand or by the file stands.
  settleHips({ ...standing, fixed: said }, carrying(document, skeleton));
  settleTrunk(standing);
  return out.map((found, i) => found ?? otherRole(skeleton, names[i], i));
}

function claimsFor(joint: number, name: NameGuess | null, shape: HumanoidRole | undefined) {
  const named = name && isHumanoidRole(name.role) ? name.role : null;
  if (named && shape === named)
    return [
      {
        joint,
        role: named,
        score: 0.8 + 0.2 * (name?.strength ?? 0),
        reason: `by name (“${name?.words}”), place and chain`,
      },
    ];
  const claims = [];
  if (named)
    claims.push({
      joint,
      role: named,
      score: 0.5 + 0.35 * (name?.strength ?? 0),
      reason: `by name (“${name?.words}”)`,
    });
  // A joint that calls itself a twist or an end is not a limb, wherever it stands.
  if (shape && !name) claims.push({ joint, role: shape, score: 0.6, reason: 'by place in the body and its chain' });
  else if (shape)
    claims.push({
      joint,
      role: shape,
      score: name && !named ? 0.2 : 0.4,
      reason: 'by place in the body, against its name',
    });
  return claims;
}

/** Whether the roles already given above and below this joint allow it to have this one. */
function keepsAncestry(
  skeleton: Skeleton,
  taken: Map<HumanoidRole, number>,
  joint: number,
  role: HumanoidRole,
): boolean {
  const above = new Set<HumanoidRole>();
  for (let r: HumanoidRole | null = HUMANOID_PARENT[role]; r; r = HUMANOID_PARENT[r]) above.add(r);
  for (const [other, at] of taken) {
    if (above.has(other) && !isAbove(skeleton, at, joint)) return false;
    if (descends(other, role) && !isAbove(skeleton, joint, at)) return false;
  }
  return true;
}

function descends(role: HumanoidRole, ancestor: HumanoidRole): boolean {
  for (let r: HumanoidRole | null = HUMANOID_PARENT[role]; r; r = HUMANOID_PARENT[r]) if (r === ancestor) return true;
  return false;
}

function isAbove(skeleton: Skeleton, ancestor: number, joint: number): boolean {
  for (let i = skeleton.parent[joint]; i >= 0; i = skeleton.parent[i]) if (i === ancestor) return true;
  return false;
}

/** A limb's joint that neither name nor shape gave away, where the one below it is known: the nearest free joint above that. */
function fillLimbs(
  skeleton: Skeleton,
  names: (NameGuess | null)[],
  out: (RoleFound | null)[],
  taken: Map<HumanoidRole, number>,
): void {
  for (const side of ['left', 'right'] as const)
    for (const [role, below] of [
      ['LowerArm', 'Hand'],
      ['UpperArm', 'LowerArm'],
      ['LowerLeg', 'Foot'],
      ['UpperLeg', 'LowerLeg'],
    ] as const) {
      const missing = `${side}${role}` as HumanoidRole,
        from = taken.get(`${side}${below}` as HumanoidRole);
      if (taken.has(missing) || from === undefined) continue;
      let joint = skeleton.parent[from];
      // Twists and helpers may lie between.
      const passes = (j: number): boolean => {
        const name = names[j];
        return !out[j] && name !== null && !isHumanoidRole(name.role);
      };
      while (joint >= 0 && passes(joint)) joint = skeleton.parent[joint];
      if (joint < 0 || out[joint] || !keepsAncestry(skeleton, taken, joint, missing)) continue;
      taken.set(missing, joint);
      out[joint] = { role: missing, confidence: 0.55, reason: 'by its place in the chain' };
    }
}

/** Whether a joint moves any vertex; counted once, when somebody asks. */
function carrying(document: Document, skeleton: Skeleton): (joint: number) => boolean {
  let found: Uint8Array | null = null;
  const count = (): Uint8Array => {
    const carries = new Uint8Array(skeleton.joints.length);
    for (const node of document.getRoot().listNodes()) {
      const joints = node.getSkin()?.listJoints();
      for (const prim of (joints && node.getMesh()?.listPrimitives()) ?? []) {
        const influences = influencesOf(prim);
        if (influences && joints)
          markCarried(
            carries,
            influences,
            Int32Array.from(joints, (joint) => skeleton.index.get(joint) ?? -1),
          );
      }
    }
    return carries;
  };
  return (joint) => (found ??= count())[joint] === 1;
}

// Alone, so that its compiled code outlives the document.
function markCarried(out: Uint8Array, { joints, weights }: Influences, jointOf: Int32Array): void {
  for (let i = 0; i < joints.length; i++) if (weights[i] > 0 && jointOf[joints[i]] >= 0) out[jointOf[joints[i]]] = 1;
}

function otherRole(skeleton: Skeleton, name: NameGuess | null, joint: number): RoleFound {
  if (name && !isHumanoidRole(name.role))
    return { role: name.role, confidence: name.strength, reason: `by name (“${name.words}”)` };
  if (subtreeOf(skeleton, joint).length === 1 && skeleton.parent[joint] >= 0)
    return { role: name ? 'extra' : 'end', confidence: 0.3, reason: 'nothing hangs below it' };
  if (name) return { role: 'extra', confidence: 0.3, reason: `another joint fits ${roleLabel(name.role)} better` };
  if (skeleton.parent[joint] < 0)
    return { role: 'helper', confidence: 0.6, reason: 'root of the hierarchy above the hips' };
  return { role: 'unknown', confidence: 0, reason: 'neither name nor place tells what it is' };
}

function bodyWidth(skeleton: Skeleton): number {
  let most = 1e-6;
  for (let i = 0; i < skeleton.joints.length; i++) most = Math.max(most, Math.abs(jointPosition(skeleton, i)[0]));
  return most;
}

/** Joint index by humanoid role, for posing and comparing. */
export function roleIndex(roles: readonly RoleFound[]): Map<HumanoidRole, number> {
  const index = new Map<HumanoidRole, number>();
  roles.forEach((found, i) => {
    if (isHumanoidRole(found.role)) index.set(found.role, i);
  });
  return index;
}
