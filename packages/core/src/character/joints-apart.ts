import type { Document, Node } from '@gltf-transform/core';
import { readDossier } from './dossier.ts';
import { nodesParentsFirst } from './joints.ts';

/** Nodes of a skeleton that came in a file of its own and isn't bound yet, parents first. */
export function jointsApart(document: Document): Node[] {
  const roots = new Set(readDossier(document).apart?.roots),
    inside = new Set<Node>();
  if (!roots.size) return [];
  for (const node of nodesParentsFirst(document)) {
    const parent = node.getParentNode();
    if ((roots.has(node.getName()) && !node.getMesh()) || (parent && inside.has(parent))) inside.add(node);
  }
  return [...inside];
}
