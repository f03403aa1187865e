import {
  floatsOf,
  influencesOf,
  isFaceRole,
  isFingerRole,
  jointPosition,
  listParts,
  mirroredRole,
  type JointPlan,
  type Skeleton,
} from '@dimetra/core';
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

/**
 * Share of all weight that each joint carries, 0 … 1 of the strongest, the vertices that follow it, and what would be
 * lost without it: RMS millimetres by which they move when the joint alone turns 20°, a chord of 2 r sin 10°.
 */
export function weightShares(
  document: Document,
  skeleton: Skeleton,
): { share: Float64Array; vertices: Uint32Array; lossMm: Float64Array } {
  const sum = new Float64Array(skeleton.joints.length);
  const vertices = new Uint32Array(skeleton.joints.length),
    square = new Float64Array(skeleton.joints.length);
  const reach = (points: Float32Array, o: number, joint: number) => {
    const p = jointPosition(skeleton, joint);
    return Math.hypot(points[o] - p[0], points[o + 1] - p[1], points[o + 2] - p[2]) || 0;
  };
  const done = new Set<unknown>();
  for (const part of listParts(document)) {
    const skin = part.node.getSkin();
    if (!skin || done.has(part.prim)) continue;
    done.add(part.prim);
    const influences = influencesOf(part.prim);
    if (!influences) continue;
    const position = part.prim.getAttribute('POSITION'),
      points = position ? floatsOf(position) : new Float32Array(0);
    const at = skin.listJoints().map((joint) => skeleton.index.get(joint) ?? 0);
    for (let k = 0; k < influences.joints.length; k++)
      if (influences.weights[k] > 0) {
        sum[at[influences.joints[k]]] += influences.weights[k];
        vertices[at[influences.joints[k]]]++;
        square[at[influences.joints[k]]] +=
          (influences.weights[k] * reach(points, Math.floor(k / influences.perVertex) * 3, at[influences.joints[k]])) **
          2;
      }
  }
  const most = Math.max(1e-9, ...sum);
  return {
    share: sum.map((value) => value / most),
    vertices,
    lossMm: square.map((value, i) => 2000 * Math.sin(Math.PI / 18) * Math.sqrt(value / Math.max(1, vertices[i]))),
  };
}

/** The joint on the other side at the mirrored place, within 2 cm; null for one in the middle. */
export function mirroredJoint(skeleton: Skeleton, name: string): string | null {
  const joint = skeleton.joints.findIndex((entry) => entry.getName() === name);
  if (joint < 0) return null;
  const [x, y, z] = jointPosition(skeleton, joint);
  if (Math.abs(x) < 0.004) return null;
  let best = 0.02,
    found: string | null = null;
  skeleton.joints.forEach((entry, i) => {
    const p = jointPosition(skeleton, i),
      off =
        Math.hypot(p[0] + x, p[1] - y, p[2] - z) + Math.abs(depthOf(skeleton, i) - depthOf(skeleton, joint)) * 0.004;
    if (off < best) {
      best = off;
      found = entry.getName();
    }
  });
  return found;
}

/** The target's joint on the other side, by its role or by its name; null where it has no side. */
export function mirroredTarget(targets: readonly { role: string; name: string }[], name: string): string | null {
  const row = targets.find((entry) => entry.name === name),
    role = row && mirroredRole(row.role);
  if (row && role !== row.role) return targets.find((entry) => entry.role === role)?.name ?? null;
  const swapped = name.replace(
    /left|right|(?<=[_.\- ]|^)[lr](?=[_.\- ]|$)|(?<=[_.\- ])[LR]$/gi,
    (side) =>
      ({ left: 'right', right: 'left', l: 'r', r: 'l', L: 'R', R: 'L', Left: 'Right', Right: 'Left' })[side] ?? side,
  );
  return swapped !== name && targets.some((entry) => entry.name === swapped) ? swapped : null;
}

export const depthOf = (skeleton: Skeleton, joint: number): number => {
  let depth = 0;
  for (let i = skeleton.parent[joint]; i >= 0; i = skeleton.parent[i]) depth++;
  return depth;
};

/** Heights of the right-hand rows: each beside the row it is tied to where there is room, never over another; loose ones follow on. */
export function besideSources(tiedTo: readonly (number | undefined)[], y: (row: number) => number): number[] {
  let last = y(-1);
  return tiedTo.map((row) => (last = Math.max(last + y(1) - y(0), row === undefined ? 0 : y(row))));
}
