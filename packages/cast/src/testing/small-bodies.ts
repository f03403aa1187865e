import { bodyOfSample, type Figure, SHIPPED_FIGURES } from '@dimetra/core';
import { sha256 } from '@dimetra/platform';
import { bodyOfFigure } from '../body-of-figure.ts';
import { SMALL } from '../figure.ts';

/** The figures that ship, with skins of a few polygons, and how a step is given those. */
export interface SmallBodies {
  figures: readonly Figure[];
  piece(hash: string): Promise<Uint8Array | null>;
}

let made: Promise<SmallBodies> | null = null;
/** Made once for all files that one worker runs. */
export const smallBodies = (): Promise<SmallBodies> => (made ??= make());

async function make(): Promise<SmallBodies> {
  const pieces = new Map<string, Uint8Array>(),
    figures: Figure[] = [];
  for (const figure of SHIPPED_FIGURES) {
    const format = figure.id === 'tessel' ? 'Tessel' : figure.id === 'corvane' ? 'Corvane' : null;
    if (!format) {
      figures.push(figure);
      continue;
    }
    const { body, bytes } = await bodyOfSample(bodyOfFigure(format, SMALL), figure.title, sha256);
    pieces.set(body.file, bytes);
    figures.push({ ...figure, body });
  }
  return { figures, piece: async (hash) => pieces.get(hash) ?? null };
}
