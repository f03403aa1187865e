import type { Document, Material } from '@gltf-transform/core';
import { CLEAR_KINDS } from '../character/index.ts';
import { lookAround } from './around.ts';

/** Pixels of all views together that tell something of a material. */
const LEAST_SEEN = 60;

/**
 * How much of what is seen of each material would be gone without its back faces, 0 … 1: linings and cards that have to
 * be drawn from both sides. A back face before a front of the same material isn't missed. Clear layers are left out.
 */
export function backsMissed(document: Document): Map<Material | null, number> {
  const seen = new Map<Material | null, { back: number; all: number }>();
  lookAround(
    document,
    ({ kind }) => !CLEAR_KINDS.includes(kind),
    ({ both, fronts }, { deformer, partOf }) => {
      const worn = (triangle: number) => (triangle < 0 ? undefined : deformer.ranges[partOf[triangle]].part.material);
      both.forEach((triangle, at) => {
        const material = worn(triangle);
        if (material === undefined) return;
        const count = seen.get(material) ?? { back: 0, all: 0 };
        count.all++;
        if (triangle !== fronts[at] && worn(fronts[at]) !== material) count.back++;
        seen.set(material, count);
      });
    },
  );
  return new Map([...seen].map(([material, { back, all }]) => [material, all < LEAST_SEEN ? 0 : back / all]));
}
