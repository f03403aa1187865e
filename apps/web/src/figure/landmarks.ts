import {
  bodySurface,
  type HumanoidRole,
  type JointFound,
  type Landmarks,
  type Places,
  type Point,
} from '@dimetra/core';
import type { Document } from '@gltf-transform/core';
import { transfer, wrap } from 'comlink';
import type { LandmarksWorker } from '../workers/landmarks.worker.ts';

/** Joints as they were found in a body without a skeleton, and where somebody put them. */
export interface FitPreview {
  /** Whether the character has no skeleton, is given none by another, and the target wants one. */
  needed: boolean;
  /** Null while they are looked for, and where nobody asks. */
  joints: readonly JointFound[] | null;
  found: Landmarks | null;
  error: string | null;
  chosen: HumanoidRole | null;
  choose(role: HumanoidRole | null): void;
  /** Shows a joint elsewhere while it is dragged. */
  hold(role: HumanoidRole, at: Point): void;
  /** Puts a joint somewhere for good, or back to where it was found. */
  put(role: HumanoidRole, at: Point | null): void;
}

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
