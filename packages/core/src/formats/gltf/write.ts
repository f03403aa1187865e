import type { Document, GLTF } from '@gltf-transform/core';
import type { InputFile } from '../files.ts';
import { layOut } from './lay-out.ts';
import { createGltfIO } from './read.ts';
import { NUMBERS, skeletonJson } from './skeleton-json.ts';

/**
 * Writes one self-contained binary glTF (glTF 2.0 §4). Buffers are gathered into one.
 * @param extend puts more into the JSON before it is written
 */
export async function writeGlb(document: Document, extend: (json: GLTF.IGLTF) => void = () => {}): Promise<Uint8Array> {
  const root = document.getRoot(),
    { json } = await skeletonJson(await createGltfIO(), document),
    chunks = layOut(json, root.listAccessors()),
    views = (json.bufferViews ??= []);
  let length = chunks.reduce((sum, chunk) => sum + chunk.length, 0);
  root.listTextures().forEach((texture, i) => {
    const image = json.images?.[i],
      bytes = texture.getImage();
    if (!image || !bytes) return;
    delete image.uri;
    image.mimeType = texture.getMimeType();
    image.bufferView = views.push({ buffer: 0, byteOffset: length, byteLength: bytes.length }) - 1;
    chunks.push(bytes, new Uint8Array(-bytes.length & 3));
    length += bytes.length + (-bytes.length & 3);
  });
  json.buffers = length ? [{ byteLength: length }] : [];
  extend(json);
  return binaryOf(json, chunks, length);
}

function binaryOf(json: GLTF.IGLTF, chunks: readonly Uint8Array[], length: number): Uint8Array {
  for (const list of ['buffers', 'bufferViews'] as const) if (!json[list]?.length) delete json[list];
  const text = new TextEncoder().encode(JSON.stringify(json)),
    padded = (text.length + 3) & ~3,
    start = 20 + padded;
  const out = new Uint8Array(length ? start + 8 + length : start),
    head = new DataView(out.buffer);
  // “glTF”, version 2, all of it; “JSON”; “BIN”.
  [0x46546c67, 2, out.length, padded, 0x4e4f534a].forEach((word, i) => {
    head.setUint32(i * 4, word, true);
  });
  out.set(text, 20);
  out.fill(0x20, 20 + text.length, start);
  if (!length) return out;
  head.setUint32(start, length, true);
  head.setUint32(start + 4, 0x004e4942, true);
  let at = start + 8;
  for (const chunk of chunks) {
    out.set(chunk, at);
    at += chunk.length;
  }
  return out;
}

/** Writes a .gltf with its .bin and its images beside it, below `folder` (with a trailing slash, or empty). */
export async function writeGltfFiles(document: Document, name: string, folder = ''): Promise<InputFile[]> {
  const { json, resources } = await skeletonJson(await createGltfIO(), document, true),
    chunks = layOut(json, document.getRoot().listAccessors());
  // The stand-in of the numbers goes, the images stay.
  const images = Object.entries(resources)
    .filter(([path]) => path !== NUMBERS)
    .map(([path, bytes]) => ({ path: folder + path, bytes }));
  if (json.buffers?.length) json.buffers[0].uri = `${name}.bin`;
  const bin = new Uint8Array(json.buffers?.[0]?.byteLength ?? 0);
  let at = 0;
  for (const chunk of chunks) {
    bin.set(chunk, at);
    at += chunk.length;
  }
  const text = new TextEncoder().encode(JSON.stringify(json, null, 1));
  return [
    { path: `${folder}${name}.gltf`, bytes: text },
    ...(bin.length ? [{ path: `${folder}${name}.bin`, bytes: bin }] : []),
    ...images,
  ];
}
