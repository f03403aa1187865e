import { labCurve } from '../pixels/index.ts';
import { CHANNELS } from './light.ts';
import type { Picture } from './picture.ts';
import { TILE, type Tiles } from './tiles.ts';

// Taken over once: under test an imported name is asked for at every use, which these loops make millions of.
const channels = CHANNELS,
  side = TILE;

/** Grey ground that figures stand before, linear. */
export const GROUND = 0.18;

const STEPS = 8192;
const CURVE = Float64Array.from({ length: STEPS + 2 }, (_, i) => labCurve(i / STEPS));
/** {@link labCurve} of 0 … 1 from a table, between its steps by a straight line: within 2e-6. */
function curve(t: number): number {
  const x = t * STEPS,
    i = x | 0;
  return CURVE[i] + (x - i) * (CURVE[i + 1] - CURVE[i]);
}

const ROWS = side + 2,
  ROW = ROWS * channels,
  shown = new Float64Array(ROWS * ROW),
  across = new Float64Array(ROWS * side * channels),
  LIGHTS = channels / 3;

/**
 * L*a*b* of a picture under every light before grey ground, softened by a 3 × 3 binomial, since one sample a pixel carries
 * no finer truth. Only tiles that are asked for are written, each once.
 */
export class Lab {
  /** One for each light, L*, a*, b* of each pixel. */
  readonly planes: readonly Float32Array[];
  private readonly written: Uint8Array;
  private picture: Picture | null = null;

  constructor(size: number) {
    const tiles = Math.ceil(size / side);
    this.planes = Array.from({ length: LIGHTS }, () => new Float32Array(size * size * 3));
    this.written = new Uint8Array(tiles * tiles);
  }

  /** Takes up another picture, or one that was drawn anew. */
  begin(picture: Picture): this {
    this.picture = picture;
    this.written.fill(0);
    return this;
  }

  write(tiles: Tiles): void {
    const { picture, written } = this;
    if (!picture) return;
    for (const tile of tiles.wanted) {
      if (written[tile]) continue;
      written[tile] = 1;
      const left = (tile % tiles.across) * side,
        top = ((tile / tiles.across) | 0) * side;
      showTile(picture, left, top);
      softenAcross();
      for (let light = 0; light < LIGHTS; light++) writeTile(this.planes[light], picture.size, light, left, top);
    }
  }
}

function writeTile(out: Float32Array, size: number, light: number, left: number, top: number): void {
  const step = side * channels;
  for (let y = top, row = light * 3; y < Math.min(size, top + side); y++, row += step)
    for (
      let x = left, o = row, to = (y * size + left) * 3;
      x < Math.min(size, left + side);
      x++, o += channels, to += 3
    ) {
      const p = o + step,
        q = p + step;
      const r = 0.25 * across[o] + 0.5 * across[p] + 0.25 * across[q],
        g = 0.25 * across[o + 1] + 0.5 * across[p + 1] + 0.25 * across[q + 1],
        b = 0.25 * across[o + 2] + 0.5 * across[p + 2] + 0.25 * across[q + 2];
      const fx = curve(0.4339499 * r + 0.3762098 * g + 0.1898403 * b),
        fy = curve(0.2126729 * r + 0.7151522 * g + 0.072175 * b),
        fz = curve(0.0177566 * r + 0.109468 * g + 0.8727755 * b);
      out[to] = 116 * fy - 16;
      out[to + 1] = 500 * (fx - fy);
      out[to + 2] = 200 * (fy - fz);
    }
}

/** A tile and the pixels around it before the ground, under every light; the picture's rim is repeated. */
function showTile({ size, color, alpha }: Picture, left: number, top: number): void {
  const edge = size - 1;
  for (let row = 0, to = 0; row < ROWS; row++) {
    const y = Math.max(0, Math.min(edge, top + row - 1));
    for (let column = 0; column < ROWS; column++) {
      const at = y * size + Math.max(0, Math.min(edge, left + column - 1)),
        ground = (1 - alpha[at]) * GROUND;
      for (let from = at * channels, end = from + channels; from < end; from++, to++) {
        const value = color[from] + ground;
        shown[to] = value < 1 ? value : 1;
      }
    }
  }
}

function softenAcross(): void {
  for (let row = 0, to = 0; row < ROWS; row++)
    for (let i = row * ROW + channels, end = i + side * channels; i < end; i++, to++)
      across[to] = 0.25 * shown[i - channels] + 0.5 * shown[i] + 0.25 * shown[i + channels];
}
