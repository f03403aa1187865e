import { REGIONS, type Region } from '../body-regions.ts';
import { type PreparedMix, RIGID } from './prepare.ts';
import { fitEdges } from './fit-edges.ts';
import { goAlong } from './go-along.ts';
import type { SheetMatch } from './sheet-match.ts';
import { mixRigid, type RigidSheet } from './mix-rigid.ts';
import { mixWorn, type Moving } from './mix-worn.ts';
import { narrowestBorder, spreadWeights } from './spread.ts';

/** Weight of another figure by region, 0 … 1; `all` for the regions that are not named. */
export type RegionWeights = Partial<Record<Region | 'all', number>>;

export interface Mixed {
  /** How far every vertex goes, xyz, metres, in character space. */
  moved: Float32Array;
  /** Share of each other figure at every vertex. */
  shares: Float32Array[];
  /** How wide the narrowest border between regions is, metres; Infinity without one. */
  border: number;
  /** By how much edges around a point miss what the mix wants of them where that is most, share of their length. */
  strain: number;
}

/** Shares of all other figures in a region, or in what is not named; weights that add up to more than one are shared out. */
export function sharesOf(weights: readonly RegionWeights[], region: Region | 'all'): number[] {
  const given = weights.map((of) => Math.max(0, of[region] ?? of.all ?? 0)),
    sum = given.reduce((total, value) => total + value, 0);
  return given.map((value) => value / Math.max(1, sum));
}

/**
 * The shape of a mix. Edges of the skin are mixed, not places, and the places that fit them best are found (gradient
 * domain, Yu et al. 2004): Σ cot (xᵢ − xⱼ − Σₖ wₖ (pᵏᵢ − pᵏⱼ))² least, so that the head of one sits on the tall body of
 * another without a step. The floor and the middle of the trunk stay where plain mixing has them. With weights that are
 * the same everywhere that is plain mixing, to the last bit; at the ends each figure itself.
 */
export function mixShape(
  prepared: PreparedMix,
  weights: readonly RegionWeights[],
  softness = 1,
  stop: () => void = () => {},
): Mixed {
  const { own, others, skin, regionOf } = prepared,
    wanted = weights.map((_, k) => (region: Region) => sharesOf(weights, region)[k]),
    w = wanted.map((of, k) => {
      const has = matchedPoints(prepared, others[k].matches),
        given = Float64Array.from(regionOf, (region, i) => (has[i] ? of(REGIONS[region]) : 0));
      // What another hasn't stays wholly this one's; beside it the weight has already flown off.
      return spreadWeights(skin, given, () => prepared.flow(softness)).map((value, i) => (has[i] ? value : 0));
    }),
    shares = others.map(() => new Float32Array(own.rest.length / 3));
  stop();
  const { off, strain } = fitEdges(prepared, w, stop),
    moved = new Float32Array(own.rest.length);
  for (let v = 0; v < skin.pointOf.length; v++) {
    const i = skin.pointOf[v];
    if (i < 0) continue;
    shares.forEach((share, k) => {
      share[v] = w[k][i];
    });
    for (let c = 0; c < 3; c++) {
      let d = off[c][i];
      others.forEach(({ places }, k) => {
        d += w[k][i] * (places[v * 3 + c] - own.rest[v * 3 + c]);
      });
      moved[v * 3 + c] = d;
    }
  }
  moveOthers(prepared, wanted, { moved, shares });
  return { moved, shares, border: Math.min(...w.map((of) => narrowestBorder(skin, of, own.rest))), strain };
}

/** What is no skin: mixed where the others have it too, else it goes along. */
function moveOthers(
  prepared: PreparedMix,
  wanted: readonly ((region: Region) => number)[],
  { moved, shares }: Moving,
): void {
  const { own, others } = prepared,
    rigid: RigidSheet[] = [],
    mixed = new Set<number>();
  own.sheets.forEach((sheet, index) => {
    const on = prepared.on[index];
    if (!on || !others.some(({ matches }, k) => matches[index] && used(wanted[k]))) return;
    mixed.add(index);
    if (RIGID.includes(sheet.part.kind)) rigid.push({ sheet, on, index });
    else mixWorn(prepared, { sheet, on, index }, { moved, shares });
  });
  mixRigid(prepared, rigid, wanted, { moved, shares });
  goAlong(prepared, moved, (index) => mixed.has(index));
}

const used = (of: (region: Region) => number): boolean => REGIONS.some((region) => of(region) > 0);

/** Points that another figure has. */
function matchedPoints({ own, skin }: PreparedMix, matches: readonly (SheetMatch | null)[]): Uint8Array {
  const out = new Uint8Array(skin.points).fill(1);
  own.sheets.forEach(({ first, vertices }, i) => {
    const match = matches[i];
    for (let v = 0; v < vertices; v++) {
      const point = skin.pointOf[first + v];
      if (point >= 0 && !(match && match.corner[v * 3] >= 0)) out[point] = 0;
    }
  });
  return out;
}
