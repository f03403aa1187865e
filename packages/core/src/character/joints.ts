import type { Document, Node, Skin } from '@gltf-transform/core';
import { compose, identity, invertAffine, multiply } from '../geometry/index.ts';

/** The skeleton of a character: every joint of every skin once, parents before children, with what lies between them. */
export interface Skeleton {
  joints: Node[];
  /** Index of the nearest joint above, −1 for a root. */
  parent: Int32Array;
  /** Global rest matrices as the nodes stand, 16 per joint, column major. */
  global: Float64Array;
  index: Map<Node, number>;
}

/** Global matrix of any node. */
export function globalMatrix(node: Node, out = new Float64Array(16)): Float64Array {
  const chain: Node[] = [];
  for (let at: Node | null = node; at; at = at.getParentNode()) chain.push(at);
  identity(out);
  const local = new Float64Array(16);
  const product = new Float64Array(16);
  for (let i = chain.length - 1; i >= 0; i--) {
    compose(local, 0, chain[i].getTranslation(), chain[i].getRotation(), chain[i].getScale());
    multiply(product, 0, out, 0, local, 0);
    out.set(product);
  }
  return out;
}

/** Nodes from roots to leaves. */
export function nodesParentsFirst(document: Document): Node[] {
  const out: Node[] = [];
  const seen = new Set<Node>();
  const walk = (node: Node): void => {
    const stack = [node];
    while (stack.length) {
      const at = stack.pop() as Node;
      if (seen.has(at)) continue;
      seen.add(at);
      out.push(at);
      const children = at.listChildren();
      for (let i = children.length - 1; i >= 0; i--) stack.push(children[i]);
    }
  };
  for (const node of document.getRoot().listNodes()) if (!node.getParentNode()) walk(node);
  return out;
}

/** Joints of all skins, in hierarchy order. Nodes between joints that no skin names are not joints. */
export function skeletonOf(document: Document): Skeleton {
  const named = new Set<Node>();
  for (const skin of document.getRoot().listSkins()) for (const joint of skin.listJoints()) named.add(joint);
  const joints: Node[] = [],
    above: number[] = [],
    index = new Map<Node, number>();
  // Each node's matrix is its parent's times its own, so that no chain is walked twice.
  const nodes = nodesParentsFirst(document),
    place = new Map(nodes.map((node, i) => [node, i])),
    all = new Float64Array(nodes.length * 16),
    nearest = new Int32Array(nodes.length),
    local = new Float64Array(16);
  nodes.forEach((node, i) => {
    const parent = node.getParentNode(),
      p = parent ? place.get(parent) : undefined,
      near = p === undefined ? -1 : nearest[p];
    compose(local, 0, node.getTranslation(), node.getRotation(), node.getScale());
    if (p === undefined) all.set(local, i * 16);
    else multiply(all, i * 16, all, p * 16, local, 0);
    nearest[i] = near;
    if (!named.has(node)) return;
    nearest[i] = joints.length;
    index.set(node, joints.length);
    joints.push(node);
    above.push(near);
  });
  const global = new Float64Array(joints.length * 16);
  joints.forEach((joint, i) => {
    const at = (place.get(joint) as number) * 16;
    global.set(all.subarray(at, at + 16), i * 16);
  });
  return { joints, parent: Int32Array.from(above), global, index };
}

/** Inverse bind matrices of a skin, 16 per joint; identities where the file gives none. */
export function inverseBindsOf(skin: Skin): Float64Array {
  const count = skin.listJoints().length;
  const out = new Float64Array(count * 16);
  const stored = skin.getInverseBindMatrices()?.getArray();
  for (let i = 0; i < count; i++) {
    if (stored && stored.length >= (i + 1) * 16) for (let k = 0; k < 16; k++) out[i * 16 + k] = stored[i * 16 + k];
    else identity(out, i * 16);
  }
  return out;
}

/**
 * Binds a skin's joints where they stand: each inverse bind is the inverse of the joint's global matrix, so that the
 * mesh at rest is what its vertices say.
 * @param global matrices of `skeleton`'s joints, 16 each
 */
export function bindWhereJointsStand(
  document: Document,
  skin: Skin,
  skeleton: Skeleton,
  global: Float64Array = skeleton.global,
): void {
  const joints = skin.listJoints(),
    binds = new Float32Array(joints.length * 16),
    inverse = new Float64Array(16);
  joints.forEach((joint, i) => {
    invertAffine(inverse, 0, global, (skeleton.index.get(joint) ?? 0) * 16);
    binds.set(inverse, i * 16);
  });
  skin.setInverseBindMatrices(document.createAccessor().setType('MAT4').setArray(binds));
}

/** Rest position of joint i in character space, metres. */
export const jointPosition = (skeleton: Skeleton, i: number): [number, number, number] => [
  skeleton.global[i * 16 + 12],
  skeleton.global[i * 16 + 13],
  skeleton.global[i * 16 + 14],
];

/** Between two joints as they stand, metres. */
export const jointDistance = (skeleton: Skeleton, a: number, b: number): number => {
  const p = jointPosition(skeleton, a),
    q = jointPosition(skeleton, b);
  return Math.hypot(p[0] - q[0], p[1] - q[1], p[2] - q[2]);
};

/** Depth-first set of joint i and everything below it. */
export function subtreeOf(skeleton: Skeleton, root: number): number[] {
  const inside = new Uint8Array(skeleton.joints.length);
  inside[root] = 1;
  const out = [root];
  for (let i = root + 1; i < skeleton.joints.length; i++) {
    if (skeleton.parent[i] >= 0 && inside[skeleton.parent[i]]) {
      inside[i] = 1;
      out.push(i);
    }
  }
  return out;
}

export { invertAffine };
