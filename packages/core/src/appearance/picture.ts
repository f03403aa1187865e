import { CHANNELS } from './light.ts';
import { grown } from './raster.ts';

/** Which materials show on which pixels, and how much of each. */
export class Shares {
  private count = 0;
  private at = new Int32Array(1024);
  private material = new Int16Array(1024);
  private share = new Float32Array(1024);
  constructor(private readonly materials: number) {}

  add(at: number, material: number, share: number): void {
    if (this.count === this.at.length) this.grow();
    this.at[this.count] = at;
    this.material[this.count] = material;
    this.share[this.count++] = share;
  }
  clear(): void {
    this.count = 0;
  }
  /** Pixels that each material shows on, by share; only those that `among` marks. */
  shown(among?: Uint8Array): Float64Array {
    const out = new Float64Array(this.materials);
    for (let i = 0; i < this.count; i++) if (!among || among[this.at[i]]) out[this.material[i]] += this.share[i];
    return out;
  }
  private grow(): void {
    this.at = grown(this.at, Int32Array);
    this.material = grown(this.material, Int16Array);
    this.share = grown(this.share, Float32Array);
  }
}

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
  /** Of what shows most, as meant: its normal in the world, and its roughness. Four a pixel; of pixels that show nothing they stay as they were. */
  surface: Float32Array;
  /** What each pixel shows, by share. */
  shares: Shares;
  /** What is seen lies within these columns and rows, none of them empty; right before left where nothing is. */
  left: number;
  top: number;
  right: number;
  bottom: number;
}

/** Columns and rows in which either of two pictures shows anything, with `around` more on each side. */
export function boundsOf(a: Picture, b: Picture, around = 0): Pick<Picture, 'left' | 'top' | 'right' | 'bottom'> {
  return {
    left: Math.max(0, Math.min(a.left, b.left) - around),
    top: Math.max(0, Math.min(a.top, b.top) - around),
    right: Math.min(a.size - 1, Math.max(a.right, b.right) + around),
    bottom: Math.min(a.size - 1, Math.max(a.bottom, b.bottom) + around),
  };
}

/** Leaves nothing on it. */
export function clearPicture(picture: Picture): void {
  const { size, left, top, right, bottom } = picture;
  for (let y = top; y <= bottom; y++) {
    const from = y * size + left,
      to = y * size + right + 1;
    picture.color.fill(0, from * CHANNELS, to * CHANNELS);
    picture.alpha.fill(0, from, to);
    picture.material.fill(-1, from, to);
    picture.strength.fill(0, from, to);
    picture.depth.fill(1, from, to);
  }
  picture.shares.clear();
  Object.assign(picture, NOWHERE(size));
}
const NOWHERE = (size: number) => ({ left: size, top: size, right: -1, bottom: -1 });

export function createPicture(size: number, materials: number): Picture {
  const pixels = size * size;
  return {
    size,
    color: new Float32Array(pixels * CHANNELS),
    alpha: new Float32Array(pixels),
    material: new Int16Array(pixels).fill(-1),
    strength: new Float32Array(pixels),
    depth: new Float32Array(pixels).fill(1),
    surface: new Float32Array(pixels * 4),
    shares: new Shares(materials),
    ...NOWHERE(size),
  };
}
