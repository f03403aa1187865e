import { createGltfIO, piecesOf, unpackDocument } from '@dimetra/core';
import { fetchPieces, forgetPieces } from './pieces.ts';
import type { Document, GLTF, Texture } from '@gltf-transform/core';

/** A character as the stage needs it: geometry here, images by address. */
export interface LoadedFigure {
  /** Address of its manifest. */
  url: string;
  document: Document;
  /** Image hash of each texture. */
  imageOf: Map<Texture, string>;
}

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
  ).catch(async (error: Error) => {
    await forgetPieces(wanted);
    throw error;
  });
  return {
    document,
    url,
    imageOf: new Map(
      document
        .getRoot()
        .listTextures()
        .map((texture, i) => [texture, images[i]]),
    ),
  };
}
