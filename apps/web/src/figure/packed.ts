import { piecesOf } from '@dimetra/core';
import type { GLTF } from '@gltf-transform/core';
import type { PackedFigure } from '../workers/packed.ts';
import { fetchPieces } from './pieces.ts';

/** The figure at an address; the pieces are those the stage holds already. @throws Error with a sentence where it is gone */
export async function fetchPacked(url: string): Promise<PackedFigure> {
  const answer = await fetch(url);
  if (!answer.ok) throw new Error('that character is not here any more; choose another');
  const manifest = (await answer.json()) as GLTF.IGLTF;
  return { manifest, pieces: await fetchPieces(piecesOf({ ...manifest, images: [] })) };
}
