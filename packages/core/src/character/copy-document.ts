import { type Accessor, Document, type Property, type Texture } from '@gltf-transform/core';
import { createDefaultPropertyResolver, mergeDocuments } from '@gltf-transform/functions';

const NOTHING = new Float32Array(0);

/**
 * A document of its own that shares arrays and images with `source`: a step may set new ones, and must not write
 * into those it was given.
 */
export function copyDocument(source: Document): Document {
  const root = source.getRoot();
  const accessors = root.listAccessors(),
    textures = root.listTextures();
  const arrays = accessors.map((accessor) => accessor.getArray()),
    images = textures.map((texture) => texture.getImage());
  const copy = new Document().setLogger(source.getLogger());
  // mergeDocuments copies every array; taken out for the moment, they are shared instead.
  try {
    for (const accessor of accessors) accessor.setArray(NOTHING);
    for (const texture of textures) texture.setImage(new Uint8Array(0));
    const resolve = createDefaultPropertyResolver(copy, source);
    const made = mergeDocuments(copy, source, resolve);
    copy.getRoot().copy(root, resolve as <T extends Property>(property: T) => T);
    accessors.forEach((accessor, i) => (made.get(accessor) as Accessor).setArray(arrays[i]));
    textures.forEach((texture, i) => {
      const image = images[i];
      if (image) (made.get(texture) as Texture).setImage(image);
    });
  } finally {
    accessors.forEach((accessor, i) => {
      accessor.setArray(arrays[i]);
    });
    textures.forEach((texture, i) => {
      const image = images[i];
      if (image) texture.setImage(image);
    });
  }
  return copy;
}
