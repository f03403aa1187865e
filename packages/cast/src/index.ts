import type { Document } from '@gltf-transform/core';
import { buildPilot } from './pilot.ts';
import { paintPilot, type EncodeImage } from './textures.ts';
import { writeFigure } from './write.ts';

export type { EncodeImage } from './textures.ts';
export { buildPilot, type Figure, type FigurePart } from './pilot.ts';

/** Raised whenever the generator's output changes, so that kept files are made again. */
export const CAST_VERSION = 5;

export interface CastOptions {
  /** `full` is about 100,000 triangles with 2K maps; `small` a few thousand with tiny maps, for tests. */
  size: 'full' | 'small';
  encode: EncodeImage;
  progress?(message: string): void;
}

/** The harbour pilot of Vell Sund: figure format Tessel, clean. */
export async function makePilot(options: CastOptions): Promise<Document> {
  const progress = options.progress ?? (() => {});
  const figure = buildPilot({
    coarse: options.size === 'full' ? 1 : 14, progress,
    traits: { brow: 1.15, glab: 0.8, noseW: 1.04, bridge: 1.08, jaw: 1.04, chin: 1.15, cheekbone: 1.15, nasolabial: 0.5, tear: 0.9, lipFull: 0.85, larynx: 1.1, scm: 1.15, asym: 0.6 },
  });
  const tone = { base: [0.47, 0.29, 0.205] as const, lip: [0.42, 0.24, 0.185] as const, brow: [0.085, 0.06, 0.045] as const, stubble: 0.55, freckles: 0.35 };
  return writeFigure(figure, await paintPilot(figure, tone, options.size === 'full' ? 2048 : 128, options.encode, progress), 'Harbour pilot');
}
