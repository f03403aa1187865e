import { type FigureLoop, type LoopPath, type LoopSurface, loopSurface } from '@dimetra/core';
import { expose } from 'comlink';
import { openArchived } from './figure-archived.ts';

let surface: LoopSurface | null = null;

/** A figure's skin where loops are found and drawn on it, off the page's own thread. */
const work = {
  async open(archive: Uint8Array, name: string): Promise<Pick<LoopSurface, 'places' | 'corners'>> {
    surface = loopSurface(await openArchived(archive, name));
    return { places: surface.places, corners: surface.corners };
  },
  find: (): FigureLoop[] => surface?.find() ?? [],
  way: (through: LoopPath): LoopPath | null => surface?.way(through) ?? null,
};
export type LoopsWorker = typeof work;
expose(work);
