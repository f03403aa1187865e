import { type Document, Format, VertexLayout } from '@gltf-transform/core';
import type { InputFile } from '../files.ts';
import { createGltfIO } from './read.ts';

/** Writes one self-contained binary glTF. Buffers are gathered into one. */
export async function writeGlb(document: Document): Promise<Uint8Array> {
  gatherBuffers(document);
  const io = await createGltfIO();
  io.setVertexLayout(VertexLayout.SEPARATE);
  return io.writeBinary(document);
}

/** Writes a .gltf with its .bin and its images beside it, below `folder` (with a trailing slash, or empty). */
export async function writeGltfFiles(document: Document, name: string, folder = ''): Promise<InputFile[]> {
  gatherBuffers(document)?.setURI(`${name}.bin`);
  const io = await createGltfIO();
  io.setVertexLayout(VertexLayout.SEPARATE);
  const { json, resources } = await io.writeJSON(document, { format: Format.GLTF });
  const text = new TextEncoder().encode(JSON.stringify(json, null, 1));
  return [{ path: `${folder}${name}.gltf`, bytes: text }, ...Object.entries(resources).map(([path, bytes]) => ({ path: folder + path, bytes }))];
}

function gatherBuffers(document: Document) {
  const root = document.getRoot();
  const [first, ...rest] = root.listBuffers().length ? root.listBuffers() : [document.createBuffer()];
  // Most lie there already, and changing an edge of the graph costs more than looking.
  for (const accessor of root.listAccessors()) if (accessor.getBuffer() !== first) accessor.setBuffer(first);
  for (const buffer of rest) buffer.dispose();
  return first;
}
