import { type Document, Format, type GLTF, type JSONDocument, VertexLayout, type WebIO } from '@gltf-transform/core';

/**
 * A document taken apart for storing: a small glTF manifest, and its arrays and images as pieces named by
 * their hash. What two documents share is the same piece, stored and sent once.
 */
export interface PackedDocument {
  manifest: GLTF.IGLTF;
  /** Length and hash of every piece the manifest names. */
  pieces: Map<string, Uint8Array>;
}

const PIECE = 'piece:';

/** Takes a document apart. Buffers are regrouped (one per accessor); nothing else in it changes. */
export async function packDocument(io: WebIO, document: Document, hash: (bytes: Uint8Array) => string): Promise<PackedDocument> {
  const root = document.getRoot();
  for (const buffer of root.listBuffers()) buffer.dispose();
  root.listAccessors().forEach((accessor, i) => accessor.setBuffer(document.createBuffer().setURI(`b${i}`)));
  const textures = root.listTextures();
  const uris = textures.map((texture) => texture.getURI());
  // The extension tells the reader the format.
  textures.forEach((texture, i) => texture.setURI(`t${i}.${texture.getMimeType() === 'image/jpeg' ? 'jpg' : texture.getMimeType().slice(6) || 'png'}`));
  io.setVertexLayout(VertexLayout.SEPARATE);
  const { json, resources } = await io.writeJSON(document, { format: Format.GLTF });
  textures.forEach((texture, i) => texture.setURI(uris[i]));
  const pieces = new Map<string, Uint8Array>();
  const keep = (uri: string | undefined): string | undefined => {
    const bytes = uri === undefined ? undefined : resources[uri];
    if (!bytes) return uri;
    const name = hash(bytes);
    pieces.set(name, bytes);
    return PIECE + name;
  };
  for (const buffer of json.buffers ?? []) buffer.uri = keep(buffer.uri);
  for (const image of json.images ?? []) {
    const index = /^t(\d+)\.\w+$/.exec(image.uri ?? '')?.[1];
    const format = index === undefined ? undefined : textures[Number(index)].getMimeType();
    image.uri = keep(image.uri);
    if (format) image.mimeType = format;
    const file = index === undefined ? '' : uris[Number(index)];
    if (file) image.extras = { ...(image.extras as object | undefined), dimetraFile: file };
  }
  return { manifest: json, pieces };
}

/** Hashes of all pieces that a manifest needs. */
export function piecesOf(manifest: GLTF.IGLTF): string[] {
  const names = new Set<string>();
  for (const entry of [...(manifest.buffers ?? []), ...(manifest.images ?? [])]) if (entry.uri?.startsWith(PIECE)) names.add(entry.uri.slice(PIECE.length));
  return [...names];
}

/** Puts a document together again. `piece` must know every hash; `{ images: false }` leaves images empty (for looking). */
export async function unpackDocument(io: WebIO, manifest: GLTF.IGLTF, piece: (hash: string) => Uint8Array | undefined): Promise<Document> {
  const json = structuredClone(manifest);
  const resources: JSONDocument['resources'] = {};
  for (const entry of [...(json.buffers ?? []), ...(json.images ?? [])]) {
    if (!entry.uri?.startsWith(PIECE)) continue;
    const bytes = piece(entry.uri.slice(PIECE.length));
    if (!bytes) throw new Error(`unpackDocument: expected piece ${entry.uri}, received none`);
    resources[entry.uri] = bytes as Uint8Array<ArrayBuffer>;
  }
  const document = await io.readJSON({ json, resources });
  for (const texture of document.getRoot().listTextures()) {
    const { dimetraFile, ...extras } = texture.getExtras() as { dimetraFile?: string };
    if (texture.getURI().startsWith(PIECE)) texture.setURI(dimetraFile ?? '');
    texture.setExtras(extras);
  }
  return document;
}
