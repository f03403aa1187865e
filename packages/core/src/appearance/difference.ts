import { deltaE2000 } from '../pixels/index.ts';
import { LIGHTS, type Light } from './light.ts';
import { Lab } from './lab.ts';
import { boundsOf, type Picture } from './picture.ts';
import { findRegions, type PictureRegion } from './regions.ts';
import { structureOf } from './structure.ts';
import { differingTiles, TILE, type Tiles } from './tiles.ts';

// Taken over once: under test an imported name is asked for at every use, which these loops make millions of.
const side = TILE,
  colorDistance = deltaE2000;

/** What covers less of a pixel isn't there. */
const COVERS = 0.02;
/** ΔE that is just noticed (Mahy, Van Eycken & Oosterlinck 1994). */
const NOTICED = 2.3;
/** ΔE beyond which a neighbour is asked: smaller differences make no region. */
const ASKS = 3;

/** How two pictures of one view differ. */
export interface PictureDifference {
  /** Under the light where it is largest on average. */
  light: Light;
  deltaE: { mean: number; p99: number };
  /** Structural likeness of lightness (SSIM, Wang et al. 2004), 1 for equal. */
  structure: number;
  regions: PictureRegion[];
  /** 1 for each pixel on which anybody sees a difference, under whatever light. */
  noticed: Uint8Array;
  /** Pixels that either side covers. */
  covered: number;
}

/** Compares pictures of one size, again and again in the same memory. */
export class Comparison {
  private readonly worst: Float32Array;
  private first: Lab;
  private second: Lab;
  private last: Picture | null = null;

  constructor(private readonly size: number) {
    this.first = new Lab(size);
    this.second = new Lab(size);
    this.worst = new Float32Array(size * size);
  }

  compare(a: Picture, b: Picture): PictureDifference {
    this.first.begin(a);
    this.second.begin(b);
    this.last = b;
    return this.differences(a, b);
  }

  /** The second picture of the last comparison with another; it must not have been drawn anew meanwhile. */
  compareOn(c: Picture): PictureDifference {
    const b = this.last;
    if (!b) throw new Error('Nothing was compared yet.');
    [this.first, this.second] = [this.second, this.first];
    this.second.begin(c);
    this.last = c;
    return this.differences(b, c);
  }

  private differences(a: Picture, b: Picture): PictureDifference {
    const { worst } = this,
      tiles = differingTiles(a, b);
    worst.fill(0);
    let covered = 0;
    const { left, top, right, bottom } = boundsOf(a, b);
    for (let y = top; y <= bottom; y++)
      for (let at = y * this.size + left, end = at + right - left; at <= end; at++)
        if (a.alpha[at] > COVERS || b.alpha[at] > COVERS) covered++;
    const out: PictureDifference = {
      light: LIGHTS[0],
      deltaE: { mean: 0, p99: 0 },
      structure: 1,
      regions: [],
      noticed: new Uint8Array(this.size * this.size),
      covered,
    };
    if (!covered || !tiles.wanted.length) return out;
    this.first.write(tiles);
    this.second.write(tiles);
    for (const [i, light] of LIGHTS.entries()) {
      const labA = this.first.planes[i],
        labB = this.second.planes[i],
        { mean, p99 } = this.differ(a, b, labA, labB, tiles, covered);
      if (mean > out.deltaE.mean) {
        out.light = light;
        out.deltaE = { mean, p99 };
      }
      // Light from the side shows form best.
      if (light === 'side') out.structure = structureOf(labA, labB, a, b, tiles);
    }
    out.regions = findRegions(worst, a, b);
    for (let at = 0; at < worst.length; at++) if (worst[at] > NOTICED) out.noticed[at] = 1;
    return out;
  }

  /** ΔE of each pixel into the worst of all lights; mean and 99th percentile of this one's. */
  private differ(
    a: Picture,
    b: Picture,
    labA: Float32Array,
    labB: Float32Array,
    { wanted, across }: Tiles,
    covered: number,
  ): { mean: number; p99: number } {
    const { size, worst } = this,
      histogram = new Uint32Array(1200);
    let sum = 0;
    for (const tile of wanted) {
      const left = (tile % across) * side,
        top = ((tile / across) | 0) * side;
      for (let y = top; y < Math.min(size, top + side); y++)
        for (let x = left; x < Math.min(size, left + side); x++) {
          const at = y * size + x;
          if (a.alpha[at] <= COVERS && b.alpha[at] <= COVERS) continue;
          let d = deltaOf(labA, at * 3, labB, at * 3);
          sum += d;
          histogram[Math.min(1199, (d * 10) | 0)]++;
          if (d > ASKS) d = Math.max(nearest(labA, labB, at, size), nearest(labB, labA, at, size));
          if (d > worst[at]) worst[at] = d;
        }
    }
    let left = Math.floor(covered * 0.01),
      p99 = 0;
    for (let bin = histogram.length - 1; bin >= 0 && p99 === 0; bin--) {
      left -= histogram[bin];
      if (left < 0) p99 = bin / 10;
    }
    return { mean: sum / covered, p99 };
  }
}

/** Under one unit the plain distance serves: it is off by less than anybody sees. */
function deltaOf(one: Float32Array, p: number, two: Float32Array, q: number): number {
  const l = one[p] - two[q],
    a = one[p + 1] - two[q + 1],
    b = one[p + 2] - two[q + 2],
    square = l * l + a * a + b * b;
  return square < 1 ? Math.sqrt(square) : colorDistance(one, two, p, q);
}

/** Least difference of a pixel to the other picture's around the same place; found by plain distance, which costs a tenth. */
function nearest(one: Float32Array, two: Float32Array, at: number, size: number): number {
  const x = at % size,
    y = (at / size) | 0,
    p = at * 3;
  let best = Infinity,
    place = p;
  for (let j = Math.max(0, y - 1); j <= Math.min(size - 1, y + 1); j++)
    for (let i = Math.max(0, x - 1); i <= Math.min(size - 1, x + 1); i++) {
      const q = (j * size + i) * 3,
        l = one[p] - two[q],
        a = one[p + 1] - two[q + 1],
        b = one[p + 2] - two[q + 2],
        square = l * l + a * a + b * b;
      if (square < best) {
        best = square;
        place = q;
      }
    }
  return deltaOf(one, p, two, place);
}
