import type { Document } from '@gltf-transform/core';
import { createDeformer } from '../character/index.ts';
import type { Places } from './build.ts';
import { findLandmarks } from './find.ts';
import type { Landmarks } from './landmark.ts';

/** Strands and what lies on the eyes say nothing of a body's form; a headset's boom isn't the face. */
const LOOSE: ReadonlySet<string> = new Set(['hair', 'lashes', 'brows', 'tear', 'accessory']);

/**
 * The surface of a character that landmarks are looked for on, as it stands.
 * @param without ids of parts that are left out
 */
export function bodySurface(
  document: Document,
  without?: ReadonlySet<string>,
): { positions: Float32Array; indices: Uint32Array } {
  const deformer = createDeformer(document, ({ role, id }) => !LOOSE.has(role) && !without?.has(id), false);
  return { positions: deformer.evaluate(new Float32Array(deformer.vertices * 3)), indices: deformer.indices };
}

/**
 * Landmarks of a character as it stands.
 * @param like joint places of who it is assumed to be like where its surface doesn't say
 */
export function landmarksOf(document: Document, like?: Places): Landmarks {
  const { positions, indices } = bodySurface(document);
  return findLandmarks(positions, indices, like);
}
