import { far } from '../character/index.ts';
import { middleOf } from '../geometry/index.ts';
import { type Slice, slicesOf } from './sections.ts';
import { direction, type Point, type Side } from './landmark.ts';
import type { Standing } from './standing.ts';

/** An open hand's farthest place to its wrist, share of the height (after Drillis & Contini 1966); a fist's. */
export const HAND = 0.112,
  FIST = 0.078;
/** How sure that is: cuffs are thicker than the palms before them, so the thinnest section alone misleads. */
const SPREAD = 0.015,
  /** Where a wrist may lie about it. */
  REACH = 0.045;
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
  /** From the wrist up to where the arm comes free: middles of its sections. */
  line: Point[];
  /** How much thinner the wrist is than the hand beside it, 0 … 1. */
  waist: number;
}

/**
 * An arm by its sections: slices of equal distance from the tip, the thinnest near a hand's length being the wrist.
 * @param hand how long that is, share of the height
 */
export function findArm(standing: Standing, side: Side, hand = HAND): Arm {
  const { voxels, distances, height, arms } = standing,
    branch = arms[side],
    step = Math.round((SLICE * height * 10) / voxels.size),
    slices = slicesOf(standing, branch.cells, (cell) => Math.floor((branch.far - distances[cell]) / step));
  const size = (i: number) => {
    const near = [slices[i - 1], slices[i], slices[i + 1]].filter((slice): slice is Slice => slice !== undefined);
    return near.reduce((sum, slice) => sum + slice.count, 0) / near.length;
  };
  let at = 0,
    least = Infinity,
    palm = 0;
  for (let i = 1; i < slices.length - 1; i++) {
    const share = (slices[i].n + 0.5) * SLICE;
    if (share > 0.02 && share < hand) palm = Math.max(palm, size(i));
    if (Math.abs(share - hand) > REACH) continue;
    const off = (share - hand) / SPREAD,
      cost = size(i) * (1 + 3 * off * off);
    if (cost < least) {
      least = cost;
      at = i;
    }
  }
  const tip = middleOf(voxels, branch.tip),
    wrist = at ? slices[at].at : tip,
    beyond = distances[branch.tip] - ((slices[at]?.n ?? 0) + 3) * step;
  return {
    tip,
    wrist,
    along: direction(wrist, tip),
    pit: middleOf(voxels, branch.saddle),
    cells: branch.cells.filter((cell) => distances[cell] > beyond),
    line: slices.slice(at).map((slice) => slice.at),
    waist: palm && at ? Math.max(0, 1 - size(at) / palm) : 0,
  };
}

/** How long a hand is, metres. */
export const handLength = ({ wrist, tip }: Arm): number => far(wrist, tip);
