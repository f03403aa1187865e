import { createGltfIO, piecesOf, unpackDocument } from '@dimetra/core';
import type { Document, GLTF, Texture } from '@gltf-transform/core';

/** A character as the stage needs it: geometry here, images by address. */
export interface LoadedFigure {
  document: Document;
  /** Image hash of each texture. */
  imageOf: Map<Texture, string>;
}

const pieces = new Map<string, Promise<Uint8Array>>();
const figures = new Map<string, Promise<LoadedFigure>>();
const KEPT_FIGURES = 4;

/** Loads a manifest and the pieces of it that aren't here yet; what source and result share comes once. */
export function loadFigure(manifestUrl: string): Promise<LoadedFigure> {
  let figure = figures.get(manifestUrl);
  if (!figure) {
    figure = fetchFigure(manifestUrl);
    figures.set(manifestUrl, figure);
    figure.catch(() => figures.delete(manifestUrl));
    const [oldest] = figures.keys();
    if (figures.size > KEPT_FIGURES) figures.delete(oldest);
  }
  return figure;
}

async function fetchFigure(url: string): Promise<LoadedFigure> {
  const response = await fetch(url);
  if (!response.ok)
    throw new Error(
      ((await response.json().catch(() => null)) as { title?: string } | null)?.title ?? "The figure can't be loaded.",
    );
  const manifest = (await response.json()) as GLTF.IGLTF;
  const images = (manifest.images ?? []).map((image) => image.uri?.replace(/^piece:/, '') ?? '');
  const wanted = piecesOf({ ...manifest, images: [] });
  const found = await fetchPieces(wanted);
  const empty = new Set(images);
  const document = await unpackDocument(
    await createGltfIO(),
    manifest,
    (hash) => found.get(hash) ?? (empty.has(hash) ? new Uint8Array(0) : undefined),
  );
  return {
    document,
    imageOf: new Map(
      document
        .getRoot()
        .listTextures()
        .map((texture, i) => [texture, images[i]]),
    ),
  };
}

export async function fetchPieces(hashes: string[]): Promise<Map<string, Uint8Array>> {
  const missing = hashes.filter((hash) => !pieces.has(hash));
  if (missing.length) {
    const bundle = requestBundle(missing);
    for (const hash of missing) {
      const piece = bundle.then((map) => {
        const bytes = map.get(hash);
        if (!bytes) throw new Error('A piece of the figure is missing on the server. Load it again.');
        return bytes;
      });
      piece.catch(() => pieces.delete(hash));
      pieces.set(hash, piece);
    }
  }
  const out = new Map<string, Uint8Array>();
  for (const hash of hashes) out.set(hash, await (pieces.get(hash) as Promise<Uint8Array>));
  return out;
}

async function requestBundle(hashes: string[]): Promise<Map<string, Uint8Array>> {
  const response = await fetch('/api/v1/pieces', {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ hashes }),
  });
  if (!response.ok) throw new Error("The figure can't be loaded just now: the server doesn't answer as it should.");
  const buffer = await response.arrayBuffer();
  const view = new DataView(buffer);
  const out = new Map<string, Uint8Array>();
  let at = 0;
  for (const hash of hashes) {
    const length = view.getUint32(at, true);
    at += 4;
    if (length === 0xffffffff) continue;
    // A copy, so that each piece starts on a boundary its typed array can use.
    out.set(hash, new Uint8Array(buffer.slice(at, at + length)));
    at += length;
  }
  return out;
}
