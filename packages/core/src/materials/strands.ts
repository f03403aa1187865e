import type { Document, Material } from '@gltf-transform/core';
import { keepOwn, kindsOf, ownOf } from '../character/index.ts';
import { type ImageCodec, type StrandDirection, strandDirection } from '../pixels/index.ts';

/** Strands are finer than a smaller picture shows, and no finer than this one does. */
const LOOKED_AT = 1024;
/** Below this the strands of a map run every way. */
export const ONE_WAY = 0.35;

const HAIR = ['hair', 'beard'];

/** Which way the strands of a material run, from its map; kept with it once it is known. */
export async function strandsOf(material: Material, images: ImageCodec): Promise<StrandDirection | null> {
  const known = ownOf(material, 'strands');
  if (known) return known;
  const image = material.getBaseColorTexture()?.getImage();
  if (!image?.length) return null;
  const found = await images.decode(image, LOOKED_AT).then(strandDirection, () => null);
  if (found) keepOwn(material, 'strands', found);
  return found;
}

/** Finds out which way all hair of a document runs, and keeps it with its materials: the stage shows it. */
export async function recogniseStrands(document: Document, images: ImageCodec): Promise<void> {
  const kindOf = kindsOf(document);
  for (const material of document.getRoot().listMaterials())
    if (HAIR.includes(kindOf(material))) await strandsOf(material, images);
}
