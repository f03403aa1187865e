import { CHANNELS } from './light.ts';
import { boundsOf, type Picture } from './picture.ts';

// Taken over once: under test an imported name is asked for at every use, which these loops make millions of.
const channels = CHANNELS;

/** Pixels along a tile. */
export const TILE = 8;

/** Tiles of a pair of pictures in or beside which anything differs: everywhere else every difference is nought. */
export interface Tiles {
  across: number;
  /** Ascending. */
  wanted: Int32Array;
  /** 1 for each wanted tile. */
  near: Uint8Array;
}

export function differingTiles(a: Picture, b: Picture): Tiles {
  const { size } = a,
    across = Math.ceil(size / TILE),
    differs = new Uint8Array(across * across),
    near = new Uint8Array(across * across);
  const { left, top, right, bottom } = boundsOf(a, b);
  for (let y = top; y <= bottom; y++)
    for (let x = left; x <= right; x++) {
      const tile = ((y / TILE) | 0) * across + ((x / TILE) | 0);
      if (differs[tile]) x |= TILE - 1;
      else if (pixelDiffers(a, b, y * size + x)) differs[tile] = 1;
    }
  for (let y = 0; y < across; y++)
    for (let x = 0; x < across; x++) {
      if (!differs[y * across + x]) continue;
      for (let j = Math.max(0, y - 1); j <= Math.min(across - 1, y + 1); j++)
        for (let i = Math.max(0, x - 1); i <= Math.min(across - 1, x + 1); i++) near[j * across + i] = 1;
    }
  const wanted: number[] = [];
  for (let tile = 0; tile < near.length; tile++) if (near[tile]) wanted.push(tile);
  return { across, wanted: Int32Array.from(wanted), near };
}

/** Light that nobody sees the difference of: half a step of the darkest greys of a screen. */
const UNSEEN = 0.00015;
/** Of light itself, where more is more: a three-hundredth. */
const UNSEEN_SHARE = 0.003;

function pixelDiffers(a: Picture, b: Picture, at: number): boolean {
  const covers = a.alpha[at],
    alpha = covers - b.alpha[at];
  if (covers === 0 && alpha === 0) return false;
  if (alpha > 0.002 || alpha < -0.002) return true;
  for (let o = at * channels, end = o + channels; o < end; o++) {
    const value = a.color[o],
      off = value - b.color[o],
      least = UNSEEN + UNSEEN_SHARE * value;
    if (off > least || off < -least) return true;
  }
  return false;
}
