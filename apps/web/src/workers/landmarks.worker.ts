import { findLandmarks, type Landmarks, type Places } from '@dimetra/core';
import { expose } from 'comlink';

/** Landmarks and joints of a body, off the page's own thread. */
const work = {
  find: (positions: Float32Array, indices: Uint32Array, like: Places): Landmarks =>
    findLandmarks(positions, indices, like),
};
export type LandmarksWorker = typeof work;
expose(work);
