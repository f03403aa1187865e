import { seededRandom } from '../../geometry/index.ts';
import { REGIONS, type Region } from '../body-regions.ts';

/** Regions that resemble each other in a person: a face hangs together, and so does a body. */
const TOGETHER: readonly (readonly Region[])[] = [
  ['skull', 'ears', 'neck'],
  ['brow', 'eyes', 'nose', 'cheeks', 'mouth', 'jaw'],
  ['torso', 'arms', 'hands', 'legs', 'feet'],
];
/** How much of a region's weight comes from its group; the rest is its own. */
const SHARED = 0.6;

/**
 * Weights of a random but plausible mix: shares of all figures from a flat Dirichlet distribution for each group of regions
 * and for each region, mixed; the same seed gives the same. @param others figures beside the own one
 */
export function randomMix(seed: number, others: number): Partial<Record<Region, number>>[] {
  const random = seededRandom(seed),
    draw = (): number[] => {
      // Differences of sorted uniform numbers are Dirichlet(1, …, 1) (Devroye 1986, V.2); no logarithm is needed.
      const cuts = [0, ...Array.from({ length: others }, random).sort((a, b) => a - b), 1];
      return cuts.slice(1).map((cut, i) => cut - cuts[i]);
    },
    groups = TOGETHER.map(() => draw()),
    out: Partial<Record<Region, number>>[] = Array.from({ length: others }, () => ({}));
  for (const region of REGIONS) {
    const group = groups[TOGETHER.findIndex((list) => list.includes(region))],
      own = draw();
    for (let k = 0; k < others; k++)
      out[k][region] = Math.round((SHARED * group[k + 1] + (1 - SHARED) * own[k + 1]) * 100) / 100;
  }
  return out;
}
