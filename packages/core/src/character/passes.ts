import type { Material } from '@gltf-transform/core';
import { ownOf } from './own-extras.ts';

/** Whether a material is the solid core of strands that are drawn in two passes. */
export const isCore = (material: Material | null): boolean => material !== null && ownOf(material, 'passes') === 2;
/** How often the triangles of what wears a material are drawn in the end. */
export const passesOf = (material: Material | null): number => (isCore(material) ? 2 : 1);
