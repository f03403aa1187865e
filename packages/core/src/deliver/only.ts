import type { Document, Node } from '@gltf-transform/core';
import { copyDocument, listMorphNames, listParts, skeletonOf } from '../character/index.ts';
import { type InputFile, makeSkin } from '../formats/index.ts';
import { dropMorphs } from '../morphs/index.ts';
import { bakeSkeleton } from '../rest/index.ts';
import { type Only, pathFrom, type Target } from '../targets/index.ts';
import { pruneUnused } from './prune.ts';

/** A figure as only one thing of it goes out: a copy without all else. The document stays as it is. */
export function reducedTo(document: Document, only: Exclude<Only, 'maps'>): Document {
  const own = copyDocument(document);
  const { joints } = skeletonOf(own);
  if (only === 'mesh') meshAlone(own);
  else jointsAlone(own, only === 'motion');
  for (const texture of own.getRoot().listTextures()) texture.dispose();
  pruneUnused(own);
  // Which nodes are joints, and how they are bound, is what a skin says.
  if (only !== 'mesh' && joints.length) makeSkin(own, 'skeleton', joints);
  return own;
}

/** The mesh as it stands, in materials that are names and plain colours. */
function meshAlone(document: Document): void {
  dropMorphs(document, new Set(listMorphNames(document)));
  bakeSkeleton(document);
  for (const clip of document.getRoot().listAnimations()) clip.dispose();
  for (const material of document.getRoot().listMaterials())
    for (const { extensionName } of material.listExtensions()) material.setExtension(extensionName, null);
  disposeUnusedExtensions(document);
}

function jointsAlone(document: Document, moves: boolean): void {
  const joints = new Set<Node>(skeletonOf(document).joints),
    carriers = listParts(document).map(({ node }) => node);
  for (const clip of document.getRoot().listAnimations()) {
    for (const channel of clip.listChannels()) if (!moves || channel.getTargetPath() === 'weights') channel.dispose();
    if (!clip.listChannels().length) clip.dispose();
  }
  for (const node of carriers) {
    node.setMesh(null).setSkin(null);
    if (!joints.has(node) && !node.listChildren().length) node.dispose();
  }
  for (const skin of document.getRoot().listSkins()) skin.dispose();
  for (const material of document.getRoot().listMaterials()) material.dispose();
  disposeUnusedExtensions(document);
}

/** An extension that nothing uses any more isn't named by the file either. */
function disposeUnusedExtensions(document: Document): void {
  for (const extension of document.getRoot().listExtensionsUsed())
    if (/^KHR_(materials|texture|lights)_/.test(extension.extensionName)) extension.dispose();
}

/** All maps as files, where they alone go out. */
export const mapFiles = (document: Document, folder: string): InputFile[] =>
  document
    .getRoot()
    .listTextures()
    .flatMap((texture): InputFile[] => {
      const bytes = texture.getImage();
      return bytes ? [{ path: pathFrom(folder, texture.getURI()), bytes: bytes as Uint8Array<ArrayBuffer> }] : [];
    });

/** What of a target can be asked of files in which only one thing of a figure lies. */
export function askedOf(target: Target): Target {
  const { only } = target.package,
    { restPose: _, fit: __, morphs, ...rest } = target,
    { expressions: ___, ...plain } = morphs;
  if (!only) return target;
  return {
    ...rest,
    morphs: plain,
    joints: only === 'mesh' ? { keep: 'none', names: 'source' } : target.joints,
    // Without their maps materials are white.
    rules: { ...target.rules, 'materials.white': 'notes' },
  };
}
