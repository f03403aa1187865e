import { bodySurface, type Landmarks, type Places } from '@dimetra/core';
import type { Document } from '@gltf-transform/core';
import { transfer, wrap } from 'comlink';
import type { LandmarksWorker } from '../workers/landmarks.worker.ts';

/**
 * Looks for the joints of a body in a worker.
 * @returns what is found, and a way to stop
 */
export function lookForJoints(
  document: Document,
  without: ReadonlySet<string>,
  like: Places,
): { found: Promise<Landmarks>; stop(): void } {
  const { positions, indices } = bodySurface(document, without),
    worker = new Worker(new URL('../workers/landmarks.worker.ts', import.meta.url), { type: 'module' }),
    found = wrap<LandmarksWorker>(worker).find(
      transfer(positions, [positions.buffer]),
      // The figure's own where it is one part: sent as a copy.
      indices,
      like,
    );
  const stop = () => worker.terminate();
  found.then(stop, stop);
  return { found, stop };
}
