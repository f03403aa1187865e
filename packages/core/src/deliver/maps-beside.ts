import type { Document } from '@gltf-transform/core';
import type { InputFile } from '../formats/index.ts';

/** Maps that a model's writer doesn't bring along lie beside it all the same. */
export function mapsBeside(document: Document, files: readonly InputFile[]): InputFile[] {
  const there = new Set(files.map(({ path }) => path));
  return document
    .getRoot()
    .listTextures()
    .flatMap((texture): InputFile[] => {
      const bytes = texture.getImage(),
        path = texture.getURI();
      return bytes && !there.has(path) ? [{ path, bytes: bytes as Uint8Array<ArrayBuffer> }] : [];
    });
}
