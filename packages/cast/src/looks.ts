export type HairStyle = 'cropped' | 'tied' | 'curly';

/** Colours, sRGB. */
export interface SkinTone {
  base: readonly [number, number, number];
  lip: readonly [number, number, number];
  brow: readonly [number, number, number];
  /** 0 … 1 */
  stubble: number;
  freckles: number;
}
