import { far } from '../character/index.ts';
import { middleOf } from '../geometry/index.ts';
import { direction, type Point, type Side, SIDES } from './landmark.ts';
import type { Standing } from './standing.ts';

/** Middle finger's tip to the wrist, share of the height (after Drillis & Contini 1966), and how sure that is. */
const HAND = 0.111,
  SPREAD = 0.03;
/** Where a wrist may lie, from the tip. */
const NEAREST = 0.05,
  FARTHEST = 0.155;
/** Length of a slice along the arm. */
const SLICE = 0.008;

export interface Arm {
  /** The farthest place of the hand. */
  tip: Point;
  wrist: Point;
  /** From the wrist to the tip. */
  along: Point;
  /** Where the arm comes free of the trunk. */
  pit: Point;
  /** Cells of the hand's voxels, and of a little of the forearm. */
  cells: Int32Array;
  /** How much thinner the wrist is than the hand beside it, 0 … 1. */
  waist: number;
}

/** Both arms by their sections: slices of equal distance from the tip, the thinnest near a hand's length being the wrist. */
export function findArms(standing: Standing): Record<Side, Arm> {
  const { voxels, distances, depths, height, arms } = standing,
    out: Partial<Record<Side, Arm>> = {};
  for (const side of SIDES) {
    const branch = arms[side],
      step = Math.round((SLICE * height * 10) / voxels.size),
      slices: { sum: Point; weight: number; count: number }[] = [];
    for (const cell of branch.cells) {
      const n = Math.floor((branch.far - distances[cell]) / step),
        p = middleOf(voxels, cell),
        w = Math.max(depths[cell], 0.1 * voxels.size) ** 2,
        slice = (slices[n] ??= { sum: [0, 0, 0], weight: 0, count: 0 });
      for (let k = 0; k < 3; k++) slice.sum[k] += p[k] * w;
      slice.weight += w;
      slice.count++;
    }
    const middle = (n: number): Point => slices[n].sum.map((x) => x / slices[n].weight) as Point,
      size = (n: number) => {
        const near = [slices[n - 1], slices[n], slices[n + 1]].filter((slice) => slice);
        return near.reduce((sum, slice) => sum + slice.count, 0) / near.length;
      };
    let at = 0,
      least = Infinity,
      palm = 0;
    for (let n = 1; n < slices.length - 1; n++) {
      if (!slices[n]) continue;
      const share = (n + 0.5) * SLICE;
      if (share > 0.02 && share < HAND) palm = Math.max(palm, size(n));
      if (share < NEAREST || share > FARTHEST) continue;
      const off = (share - HAND) / SPREAD,
        cost = size(n) * (1 + 3 * off * off);
      if (cost < least) {
        least = cost;
        at = n;
      }
    }
    const tip = middleOf(voxels, branch.tip),
      wrist = at ? middle(at) : tip,
      beyond = distances[branch.tip] - (at + 3) * step;
    out[side] = {
      tip,
      wrist,
      along: direction(wrist, tip),
      pit: middleOf(voxels, branch.saddle),
      cells: branch.cells.filter((cell) => distances[cell] > beyond),
      waist: palm && at ? Math.max(0, 1 - size(at) / palm) : 0,
    };
  }
  return out as Record<Side, Arm>;
}

/** How long a hand is, metres. */
export const handLength = ({ wrist, tip }: Arm): number => far(wrist, tip);
