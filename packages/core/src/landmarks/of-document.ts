import type { Document } from '@gltf-transform/core';
import { createDeformer } from '../character/index.ts';
import type { Places } from './build.ts';
import { findLandmarks } from './find.ts';
import type { Landmarks } from './landmark.ts';

/** Strands and what lies on the eyes say nothing of a body's form; a headset's boom isn't the face. */
const LOOSE: ReadonlySet<string> = new Set(['hair', 'lashes', 'brows', 'tear', 'accessory']);

/**
 * Landmarks of a character as it stands.
 * @param like joint places of who it is assumed to be like where its surface doesn't say
 */
export function landmarksOf(document: Document, like?: Places): Landmarks {
  const deformer = createDeformer(document, ({ role }) => !LOOSE.has(role), false);
  return findLandmarks(deformer.evaluate(new Float32Array(deformer.vertices * 3)), deformer.indices, like);
}
