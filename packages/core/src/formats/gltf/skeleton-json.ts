import {
  type Accessor,
  type Document,
  Format,
  type GLTF,
  type JSONDocument,
  VertexLayout,
  type WebIO,
} from '@gltf-transform/core';

import { putInOrderOfUse } from './order-of-use.ts';

/** What the stand-in of all arrays is called among the resources. */
export const NUMBERS = '@numbers.bin';

/**
 * The document's JSON with stand-ins for its arrays, so that glTF-Transform's writer neither joins nor copies them:
 * it asks the property graph several times for every number. Each accessor is named `#` and its place in the
 * document, the `used` first. Everything is put back before it returns.
 * @param files images keep the names of their files and come back among the resources, instead of being numbered
 */
export async function skeletonJson(
  io: WebIO,
  document: Document,
  files = false,
): Promise<JSONDocument & { used: number }> {
  const root = document.getRoot();
  // One buffer serves all; an accessor's is only changed where it has another, since every change is announced through the whole graph.
  const [first, ...more] = root.listBuffers();
  for (const other of more) other.dispose();
  const buffer = (first ?? document.createBuffer()).setURI(NUMBERS);
  const accessors = root.listAccessors(),
    textures = files ? [] : root.listTextures();
  const kept = accessors.map((accessor) => ({
    array: accessor.getArray(),
    name: accessor.getName(),
    sparse: accessor.getSparse(),
  }));
  const uris = textures.map((texture) => texture.getURI()),
    types = textures.map((texture) => texture.getMimeType());
  const empty = new Map<number, Float32Array<ArrayBuffer>>();
  try {
    accessors.forEach((accessor, i) => {
      const size = accessor.getElementSize();
      if (!empty.has(size)) empty.set(size, new Float32Array(size));
      accessor.setName(`#${i}`).setArray(empty.get(size) as Float32Array<ArrayBuffer>);
      if (kept[i].sparse) accessor.setSparse(false);
      if (accessor.getBuffer() !== buffer) accessor.setBuffer(buffer);
    });
    // The extension tells the reader the format.
    textures.forEach((texture, i) =>
      texture.setURI(
        `t${i}.${texture.getMimeType() === 'image/jpeg' ? 'jpg' : texture.getMimeType().slice(6) || 'png'}`,
      ),
    );
    io.setVertexLayout(VertexLayout.SEPARATE);
    const written = await io.writeJSON(document, { format: Format.GLTF });
    return { ...written, used: putInOrderOfUse(written.json) };
  } finally {
    accessors.forEach((accessor, i) => {
      accessor.setName(kept[i].name).setArray(kept[i].array as Float32Array<ArrayBuffer>);
      if (kept[i].sparse) accessor.setSparse(true);
    });
    // A path's ending would otherwise decide what the image is taken for.
    textures.forEach((texture, i) => texture.setURI(uris[i]).setMimeType(types[i]));
  }
}

/** Which of the document's accessors a definition of {@link skeletonJson} stands for; gives it its own name back. */
export function accessorOf(definition: GLTF.IAccessor, accessors: readonly Accessor[]): number {
  const index = Number((definition.name as string).slice(1)),
    name = accessors[index].getName();
  if (name) definition.name = name;
  else delete definition.name;
  return index;
}
