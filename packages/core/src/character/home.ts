import type { Document } from '@gltf-transform/core';
import { readDossier } from './dossier.ts';
import { skeletonOf } from './joints.ts';

/**
 * Poses a character as it came, where a step gave it another rest pose: joints are turned back, mesh and binds stay.
 * Comparing two characters begins here. Changes `document`.
 * @returns whether there was anything to turn
 */
export function takeHome(document: Document): boolean {
  const { homePose } = readDossier(document);
  if (!homePose) return false;
  for (const joint of skeletonOf(document).joints) {
    const home = homePose[joint.getName()];
    if (home?.t.length === 3 && home.r.length === 4)
      joint.setTranslation(home.t as [number, number, number]).setRotation(home.r as [number, number, number, number]);
  }
  return true;
}
