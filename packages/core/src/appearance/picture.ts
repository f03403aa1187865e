import { CHANNELS } from './light.ts';

/** A view of a figure under every light. */
export interface Picture {
  size: number;
  /** Linear red, green, blue for each light, CHANNELS a pixel, weighted by what covers it. */
  color: Float32Array;
  /** Share of each pixel that the figure covers. */
  alpha: Float32Array;
  /** Material that shows most on each pixel, −1 for none, and its share. */
  material: Int16Array;
  strength: Float32Array;
  depth: Float32Array;
  /** Pixels that each material shows on, by share. */
  shown: Float64Array;
}

export function createPicture(size: number, materials: number): Picture {
  const pixels = size * size;
  return {
    size,
    color: new Float32Array(pixels * CHANNELS),
    alpha: new Float32Array(pixels),
    material: new Int16Array(pixels).fill(-1),
    strength: new Float32Array(pixels),
    depth: new Float32Array(pixels).fill(1),
    shown: new Float64Array(materials),
  };
}
