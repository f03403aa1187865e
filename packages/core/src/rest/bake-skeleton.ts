import type { Animation, Document, Node } from '@gltf-transform/core';
import { jointsApart, listParts, moveUnder, skeletonOf, updateDossier, bakePlaces } from '../character/index.ts';
import { bakeMotion } from '../rig/index.ts';

/**
 * Makes a figure static: what its joints do to it at rest goes into the mesh, morphs with it, then joints, skins and the
 * clips that moved them are gone. Things that hang on a joint stay where it held them. Changes `document`.
 * @returns joints that went, and names of clips that nothing is left of
 */
export function bakeSkeleton(document: Document): { joints: number; clips: string[] } {
  const skeleton = skeletonOf(document),
    gone = new Set<Node>([...skeleton.joints, ...jointsApart(document)]);
  const under = (node: Node): boolean => {
    for (let at: Node | null = node; at; at = at.getParentNode()) if (gone.has(at)) return true;
    return false;
  };
  bakeMotion(document, stillMotion(skeleton.joints.length), 'forward', skeleton);
  const parts = listParts(document),
    held = parts.filter((part) => !part.node.getSkin() && under(part.node));
  bakePlaces(document, held);
  for (const { node, prim } of parts) {
    for (const semantic of prim.listSemantics())
      if (/^(JOINTS|WEIGHTS)_/.test(semantic)) prim.setAttribute(semantic, null);
    if (!node.getSkin()) continue;
    // What a skin moved stands where its vertices say, wherever its node hung.
    node.setSkin(null);
    moveUnder(document, node, null);
    node.setTranslation([0, 0, 0]).setRotation([0, 0, 0, 1]).setScale([1, 1, 1]);
  }
  const clips = dropMotion(document, under);
  removeNodes(
    document,
    gone,
    held.map((part) => part.node),
  );
  for (const skin of document.getRoot().listSkins()) skin.dispose();
  updateDossier(document, { homePose: undefined, formerJoints: undefined, apart: undefined });
  return { joints: gone.size, clips };
}

/** Joints that stay where they are. */
function stillMotion(joints: number): Float64Array {
  const out = new Float64Array(joints * 16);
  for (let o = 0; o < out.length; o += 16) out[o] = out[o + 5] = out[o + 10] = out[o + 15] = 1;
  return out;
}

/** Channels that turned joints, or what hung on one; morphs go on playing. */
function dropMotion(document: Document, under: (node: Node) => boolean): string[] {
  const empty: Animation[] = [];
  for (const clip of document.getRoot().listAnimations()) {
    for (const channel of clip.listChannels()) {
      const node = channel.getTargetNode();
      if (channel.getTargetPath() === 'weights' || (node && !under(node))) continue;
      const sampler = channel.getSampler();
      channel.dispose();
      if (sampler && !clip.listChannels().some((other) => other.getSampler() === sampler)) sampler.dispose();
    }
    if (!clip.listChannels().length) empty.push(clip);
  }
  return empty.map((clip) => {
    const name = clip.getName();
    clip.dispose();
    return name;
  });
}

/** What hung on a node that goes hangs in the scene; nodes above that held nothing else, and such as gave their mesh away, go too. */
function removeNodes(document: Document, gone: ReadonlySet<Node>, emptied: readonly Node[]): void {
  const above = new Set<Node>(emptied);
  for (const node of gone) {
    for (let at = node.getParentNode(); at; at = at.getParentNode()) if (!gone.has(at)) above.add(at);
    for (const child of node.listChildren()) if (!gone.has(child)) moveUnder(document, child, null);
  }
  for (const node of gone) if (!node.getMesh() && !node.getCamera()) node.dispose();
  const deepestFirst = [...above].sort((a, b) => depthOf(b) - depthOf(a));
  for (const node of deepestFirst)
    if (!node.listChildren().length && !node.getMesh() && !node.getCamera() && !node.listExtensions().length)
      node.dispose();
}

function depthOf(node: Node): number {
  let depth = 0;
  for (let at = node.getParentNode(); at; at = at.getParentNode()) depth++;
  return depth;
}
