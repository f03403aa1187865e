import type { Accessor, Document, GLTF, JSONDocument, WebIO } from '@gltf-transform/core';
import { keepOwn, ownOf, withOwn } from '../../character/index.ts';
import { accessorPiece, type AccessorPiece, describePiece } from './accessor-piece.ts';
import { accessorOf, skeletonJson } from './skeleton-json.ts';

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
type Hash = (bytes: Uint8Array) => string;
type Named = AccessorPiece & { name: string };

/**
 * Pieces already named, by the array they were made of: steps replace arrays and never write into one, so a step's
 * result costs only what the step changed.
 */
const known = new WeakMap<Hash, WeakMap<object, Map<string, Named>>>();

function namedPiece(accessor: Accessor, hash: Hash): Named {
  const array = accessor.getArray();
  let memo = known.get(hash);
  if (!memo) {
    memo = new WeakMap();
    known.set(hash, memo);
  }
  const key = `${accessor.getType()} ${accessor.getSparse()} ${accessor.getNormalized()}`;
  const found = array && memo.get(array)?.get(key);
  if (found) return found;
  const piece = accessorPiece(accessor);
  const named = { ...piece, name: hash(piece.bytes) };
  if (array) {
    const kept = memo.get(array) ?? new Map<string, Named>();
    memo.set(array, kept.set(key, named));
  }
  return named;
}

function namedImage(bytes: Uint8Array, hash: Hash): string {
  let memo = known.get(hash);
  if (!memo) {
    memo = new WeakMap();
    known.set(hash, memo);
  }
  const found = memo.get(bytes)?.get('image');
  if (found) return found.name;
  const name = hash(bytes);
  memo.set(bytes, new Map([['image', { name } as Named]]));
  return name;
}

/** Takes a document apart. Buffers become one (it is no longer used); nothing else in it changes. */
export async function packDocument(io: WebIO, document: Document, hash: Hash): Promise<PackedDocument> {
  const root = document.getRoot();
  const accessors = root.listAccessors(),
    textures = root.listTextures();
  const pieces = new Map<string, Uint8Array>();
  const named = accessors.map((accessor) => namedPiece(accessor, hash));
  const images = textures.map((texture) => {
    const bytes = texture.getImage();
    return bytes ? { name: namedImage(bytes, hash), bytes } : null;
  });
  const { json, used } = await skeletonJson(io, document);
  // Steps leave the arrays behind that they put others in the place of.
  json.accessors?.splice(used);
  const views: GLTF.IBufferView[] = (json.bufferViews = []);
  json.buffers = [];
  const place = new Map<string, number>();
  for (const definition of json.accessors ?? []) {
    const piece = named[accessorOf(definition, accessors)];
    let buffer = place.get(piece.name) ?? -1;
    if (buffer < 0) {
      buffer = json.buffers.push({ byteLength: piece.bytes.length, uri: PIECE + piece.name }) - 1;
      place.set(piece.name, buffer);
      pieces.set(piece.name, piece.bytes);
    }
    describePiece(definition, piece, (_, byteOffset, byteLength) => ({
      bufferView: views.push({ buffer, byteOffset, byteLength }) - 1,
    }));
  }
  json.images?.forEach((image, i) => {
    const kept = images[i];
    if (!kept) return;
    pieces.set(kept.name, kept.bytes);
    image.uri = PIECE + kept.name;
    image.mimeType = textures[i].getMimeType();
    const file = textures[i].getURI();
    if (file) image.extras = withOwn((image.extras ?? {}) as Record<string, unknown>, 'file', file);
  });
  return { manifest: json, pieces };
}

/** Hashes of all pieces that a manifest needs. */
export function piecesOf(manifest: GLTF.IGLTF): string[] {
  const names = new Set<string>();
  for (const entry of [...(manifest.buffers ?? []), ...(manifest.images ?? [])])
    if (entry.uri?.startsWith(PIECE)) names.add(entry.uri.slice(PIECE.length));
  return [...names];
}

/** Puts a document together again. `piece` must know every hash; `{ images: false }` leaves images empty (for looking). */
export async function unpackDocument(
  io: WebIO,
  manifest: GLTF.IGLTF,
  piece: (hash: string) => Uint8Array | undefined,
): Promise<Document> {
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
    if (texture.getURI().startsWith(PIECE)) texture.setURI(ownOf(texture, 'file') ?? '');
    keepOwn(texture, 'file', undefined);
  }
  return document;
}
