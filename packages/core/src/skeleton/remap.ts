import type { Document, Node, Skin } from '@gltf-transform/core';
import {
  influencesOf,
  inverseBindsOf,
  isHumanoidRole,
  moveUnder,
  readDossier,
  skeletonOf,
  updateDossier,
  type HumanoidRole,
  type Skeleton,
  writeInfluences,
} from '../character/index.ts';
import { invertAffine, multiply } from '../geometry/index.ts';
import type { Finding } from '../problem.ts';
import { humanoidParentIn, type JointPlan } from './plan.ts';

/**
 * Carries out a {@link planSkeleton} on `document` (changed in place): joints renamed and hung under the joint
 * their role asks for, merged joints taken out with their weight going to the joint that stays. Global rest
 * matrices and inverse binds of what stays are untouched, so the mesh at rest does not move.
 */
export function remapSkeleton(
  document: Document,
  plans: readonly JointPlan[],
  skeleton: Skeleton = skeletonOf(document),
): Finding[] {
  const findings: Finding[] = [];
  for (const skin of document.getRoot().listSkins()) remapSkin(document, skin, plans, skeleton);
  const gone = new Set<Node>(plans.filter((plan) => plan.target === null).map((plan) => skeleton.joints[plan.joint]));
  reparent(document, plans, skeleton, gone);
  findings.push(...removeJoints(document, gone));
  const renamed: Record<string, string> = { ...readDossier(document).renamedJoints };
  const merged: Record<string, string> = { ...readDossier(document).mergedJoints };
  for (const plan of plans) {
    const node = skeleton.joints[plan.joint];
    const old = node.getName();
    if (plan.target === null) merged[old] = plans[plan.into]?.target ?? '';
    else if (plan.target !== old) renamed[old] = plan.target;
  }
  const corrected = readDossier(document).jointRoles ?? {};
  const roles: Record<string, string> = {};
  for (const plan of plans) {
    if (plan.target === null) continue;
    const old = skeleton.joints[plan.joint].getName();
    if (corrected[old] || plan.found.reason === 'tied by hand') roles[plan.target] = plan.found.role;
    skeleton.joints[plan.joint].setName(plan.target);
  }
  updateDossier(document, { renamedJoints: renamed, mergedJoints: merged, jointRoles: roles });
  return findings;
}

function remapSkin(document: Document, skin: Skin, plans: readonly JointPlan[], skeleton: Skeleton): void {
  const old = skin.listJoints();
  const binds = inverseBindsOf(skin);
  const kept: Node[] = [];
  const keptBinds: number[] = [];
  const place = new Map<Node, number>();
  const moved = new Map<Node, number[]>();
  old.forEach((node, i) => {
    const plan = plans[skeleton.index.get(node) ?? -1];
    const bind = Array.from(binds.subarray(i * 16, i * 16 + 16));
    if (!plan || plan.target !== null) {
      place.set(node, kept.length);
      kept.push(node);
      keptBinds.push(...bind);
    } else moved.set(node, bind);
  });
  const slot = new Uint16Array(old.length);
  old.forEach((node, i) => {
    const own = place.get(node);
    if (own !== undefined) {
      slot[i] = own;
      return;
    }
    const into = skeleton.joints[plans[skeleton.index.get(node) as number].into];
    let at = place.get(into);
    if (at === undefined) {
      // The joint above was not in this skin: bring it in with the bind that leaves the rest where it is.
      at = kept.length;
      place.set(into, at);
      kept.push(into);
      keptBinds.push(...bindThroughRest(skeleton, into, node, moved.get(node) as number[]));
    }
    slot[i] = at;
  });
  for (const joint of old) skin.removeJoint(joint);
  for (const joint of kept) skin.addJoint(joint);
  const root = skin.getSkeleton();
  if (root && plans[skeleton.index.get(root) ?? -1]?.target === null) skin.setSkeleton(null);
  skin.setInverseBindMatrices(document.createAccessor().setType('MAT4').setArray(new Float32Array(keptBinds)));
  const done = new Set<unknown>();
  for (const node of document.getRoot().listNodes()) {
    if (node.getSkin() !== skin) continue;
    for (const prim of node.getMesh()?.listPrimitives() ?? []) {
      if (done.has(prim)) continue;
      done.add(prim);
      const influences = influencesOf(prim);
      if (!influences) continue;
      renumber(influences.joints, slot);
      addUpDoubles(influences.joints, influences.weights, influences.perVertex);
      writeInfluences(document, prim, influences);
    }
  }
}

// Alone, so that its compiled code outlives the document.
function renumber(joints: Uint16Array, slot: Uint16Array): void {
  for (let k = 0; k < joints.length; k++) joints[k] = joints[k] < slot.length ? slot[joints[k]] : 0;
}

/** B_into = G_into⁻¹ · G_from · B_from: the same rest position through another joint. */
function bindThroughRest(skeleton: Skeleton, into: Node, from: Node, bind: number[]): number[] {
  const inverse = new Float64Array(16),
    rest = new Float64Array(16),
    out = new Float64Array(16);
  invertAffine(inverse, 0, skeleton.global, (skeleton.index.get(into) ?? 0) * 16);
  multiply(rest, 0, skeleton.global, (skeleton.index.get(from) ?? 0) * 16, bind, 0);
  multiply(out, 0, inverse, 0, rest, 0);
  return Array.from(out);
}

/** Slots of one vertex that name the same joint become one; the sum stays what it was. */
export function addUpDoubles(joints: Uint16Array, weights: Float32Array, perVertex: number): void {
  for (let v = 0; v < joints.length; v += perVertex) {
    for (let a = v; a < v + perVertex; a++) {
      if (weights[a] === 0) {
        joints[a] = 0;
        continue;
      }
      for (let b = a + 1; b < v + perVertex; b++) {
        if (weights[b] !== 0 && joints[b] === joints[a]) {
          weights[a] += weights[b];
          weights[b] = 0;
          joints[b] = 0;
        }
      }
    }
  }
}

function reparent(document: Document, plans: readonly JointPlan[], skeleton: Skeleton, gone: ReadonlySet<Node>): void {
  const byRole = new Map<HumanoidRole, number>();
  for (const plan of plans)
    if (plan.target !== null && isHumanoidRole(plan.found.role)) byRole.set(plan.found.role, plan.joint);
  for (const plan of plans) {
    if (plan.target === null) continue;
    const node = skeleton.joints[plan.joint];
    let parent = node.getParentNode();
    while (parent && gone.has(parent)) parent = parent.getParentNode();
    const wanted = isHumanoidRole(plan.found.role)
      ? humanoidParentIn(plan.found.role, (role) => byRole.has(role))
      : null;
    if (wanted) {
      const joint = byRole.get(wanted) as number;
      // Kept joints between the two (twists, extra spine segments) stay; another bone between them does not belong there.
      if (nearestBone(parent, skeleton, plans) !== joint) parent = skeleton.joints[joint];
    }
    if (parent !== node.getParentNode()) moveUnder(document, node, parent);
  }
}

/** The first joint from `node` upwards that has a humanoid role, or −1. */
function nearestBone(node: Node | null, skeleton: Skeleton, plans: readonly JointPlan[]): number {
  for (let at = node; at; at = at.getParentNode()) {
    const joint = skeleton.index.get(at);
    if (joint !== undefined && plans[joint].target !== null && isHumanoidRole(plans[joint].found.role)) return joint;
  }
  return -1;
}

function removeJoints(document: Document, gone: ReadonlySet<Node>): Finding[] {
  const findings: Finding[] = [];
  for (const node of gone) {
    for (const child of node.listChildren())
      if (!gone.has(child)) {
        let parent = node.getParentNode();
        while (parent && gone.has(parent)) parent = parent.getParentNode();
        moveUnder(document, child, parent);
      }
  }
  for (const clip of document.getRoot().listAnimations()) {
    const lost = clip.listChannels().filter((channel) => gone.has(channel.getTargetNode() as Node));
    const moving = lost.filter((channel) =>
      moves(channel.getSampler()?.getOutput()?.getArray() ?? null, channel.getTargetPath() === 'rotation' ? 4 : 3),
    );
    for (const channel of lost) channel.dispose();
    if (moving.length)
      findings.push({
        code: 'skeleton.clip-channels',
        severity: 'warning',
        message: `${moving.length} moving channels of clip “${clip.getName()}” drove joints that the target doesn't have; they were left out.`,
        where: clip.getName(),
        measured: moving.length,
        limit: 0,
      });
  }
  for (const node of gone) {
    if (node.getMesh() || node.getCamera()) continue;
    node.dispose();
  }
  return findings;
}

function moves(values: ArrayLike<number> | null, size: number): boolean {
  if (!values) return false;
  for (let i = size; i < values.length; i++) if (Math.abs(values[i] - values[i % size]) > 1e-4) return true;
  return false;
}
