import type { Foot } from './feet.ts';
import { type Side, SIDES } from './landmark.ts';
import type { Standing } from './standing.ts';

/** Shares of the height, or of others, as adults have them: mean and spread. */
const ADULT = {
  /** From the crown through the body to the finger tips, beyond where the arm comes free. */
  uneven: [0, 0.02],
  crotch: [0.44, 0.035],
  hand: [0.108, 0.018],
  foot: [0.165, 0.025],
  /** Volume over the cube of the height, as logarithms lie apart: half as much again is one spread. */
  volume: [0.0165, 0.45],
} as const;
export const USUAL_CROTCH = ADULT.crotch[0];

/** How much its measures are those of a person: 1 / (1 + Σ max(0, z − 1)² / 8) of what lies how many spreads off. */
export function likeness(
  { height, floor, uneven, volume }: Standing,
  feet: Record<Side, Foot>,
  hands: readonly number[],
  crotch: number,
): number {
  const off = (value: number, [mean, spread]: readonly [number, number]) => Math.abs(value - mean) / spread,
    long = ({ heel, toe }: Foot) => Math.sqrt((toe[0] - heel[0]) ** 2 + (toe[2] - heel[2]) ** 2) / height,
    // Of a ratio, as far above as below.
    ratio = volume / ADULT.volume[0],
    all = [
      off(uneven, ADULT.uneven),
      off((crotch - floor) / height, ADULT.crotch),
      ...hands.map((hand) => off(hand / height, ADULT.hand)),
      ...SIDES.map((side) => off(long(feet[side]), ADULT.foot)),
      (Math.max(ratio, 1 / ratio) - 1) / ADULT.volume[1],
    ];
  return 1 / (1 + all.reduce((sum, z) => sum + Math.max(0, z - 1) ** 2, 0) / 8);
}
