import type { Document } from '@gltf-transform/core';
import { copyDocument } from '../character/index.ts';
import { pruneUnused } from './prune.ts';

/** One part of a figure as a document of its own, with the whole skeleton. */
export interface PartAlone {
  /** Name of the node that carries it. */
  part: string;
  document: Document;
}

/** Takes a figure apart, a node with a mesh each; clips stay with the first. The document stays as it is. */
export function partsEach(document: Document): PartAlone[] {
  const at = document
    .getRoot()
    .listNodes()
    .flatMap((node, i) => (node.getMesh() ? [i] : []));
  return at.map((mine, k) => {
    const own = copyDocument(document),
      nodes = own.getRoot().listNodes();
    for (const other of at) if (other !== mine) nodes[other].setMesh(null).setSkin(null);
    // Empty stands of the others would only be names without anything.
    for (const other of at)
      if (other !== mine && !nodes[other].listChildren().length && !isJoint(own, nodes[other])) nodes[other].dispose();
    if (k > 0) for (const clip of own.getRoot().listAnimations()) clip.dispose();
    pruneUnused(own);
    return { part: nodes[mine].getName() || nodes[mine].getMesh()?.getName() || 'part', document: own };
  });
}

const isJoint = (document: Document, node: ReturnType<Document['createNode']>): boolean =>
  document
    .getRoot()
    .listSkins()
    .some((skin) => skin.listJoints().includes(node));
