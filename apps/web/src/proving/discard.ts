import type { Object3D, Texture } from 'three';
import { materialsIn } from './facts.ts';
import { meshesIn } from './soles.ts';

/** Gives back what a figure holds on the graphics card: one after the other is tried, and each may hold hundreds of megabytes. */
export function discard(root: Object3D): void {
  for (const { geometry } of meshesIn(root)) geometry.dispose();
  for (const material of materialsIn(root)) {
    for (const value of Object.values(material)) if ((value as Texture | null)?.isTexture) (value as Texture).dispose();
    material.dispose();
  }
}
