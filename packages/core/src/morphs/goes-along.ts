import type { Document } from '@gltf-transform/core';
import type { Part } from '../character/index.ts';
import { ON_FACE } from './carry.ts';
import { morphRows } from './morph-rows.ts';
import type { MorphKind } from './morph-words.ts';

/** Morphs that move a face: clothes don't follow a smile. */
export const FOR_FACES: readonly MorphKind[] = ['expression', 'viseme'];

/** Whether a part goes along with a morph by itself: what lies on the face with every one, clothes and hair with none of a face's. */
export function goesAlong(document: Document): (part: Pick<Part, 'kind'>, morph: string) => boolean {
  const ofFaces = new Set(morphRows(document).flatMap(({ name, kind }) => (FOR_FACES.includes(kind) ? [name] : [])));
  return ({ kind }, morph) => ON_FACE.includes(kind) || !ofFaces.has(morph);
}
