import { influencesOf, isFaceRole, isFingerRole, listParts, type JointPlan, type Skeleton } from '@dimetra/core';
import type { Document } from '@gltf-transform/core';

export const REGIONS = ['all', 'body', 'face', 'left hand', 'right hand'] as const;
export type Region = (typeof REGIONS)[number];

/** Which filter of the loom a joint belongs to, by its own role or that of the nearest joint above that has one. */
export function regionOf(plans: readonly JointPlan[], skeleton: Skeleton, joint: number): Region {
  for (let i = joint; i >= 0; i = skeleton.parent[i]) {
    const { role } = plans[i].found;
    if (isFingerRole(role)) return role.startsWith('left') ? 'left hand' : 'right hand';
    if (isFaceRole(role)) return 'face';
    if (role === 'head') return i === joint ? 'body' : 'face';
    if (!['twist', 'helper', 'end', 'extra', 'unknown'].includes(role)) return 'body';
  }
  return 'body';
}

/** Share of all weight that each joint carries, 0 … 1 of the strongest, and the vertices that follow it. */
export function weightShares(document: Document, skeleton: Skeleton): { share: Float64Array; vertices: Uint32Array } {
  const sum = new Float64Array(skeleton.joints.length);
  const vertices = new Uint32Array(skeleton.joints.length);
  const done = new Set<unknown>();
  for (const part of listParts(document)) {
    const skin = part.node.getSkin();
    if (!skin || done.has(part.prim)) continue;
    done.add(part.prim);
    const influences = influencesOf(part.prim);
    if (!influences) continue;
    const at = skin.listJoints().map((joint) => skeleton.index.get(joint) ?? 0);
    for (let k = 0; k < influences.joints.length; k++) if (influences.weights[k] > 0) { sum[at[influences.joints[k]]] += influences.weights[k]; vertices[at[influences.joints[k]]]++; }
  }
  const most = Math.max(1e-9, ...sum);
  return { share: sum.map((value) => value / most), vertices };
}

export const depthOf = (skeleton: Skeleton, joint: number): number => { let depth = 0; for (let i = skeleton.parent[joint]; i >= 0; i = skeleton.parent[i]) depth++; return depth; };

/** Heights of the right-hand rows: each beside the row it is tied to where there is room, never over another; loose ones follow on. */
export function besideSources(tiedTo: readonly (number | undefined)[], y: (row: number) => number): number[] {
  let last = y(-1);
  return tiedTo.map((row) => (last = Math.max(last + y(1) - y(0), row === undefined ? 0 : y(row))));
}
