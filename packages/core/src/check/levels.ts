import { pixelMm } from '../targets/index.ts';
import { type Judgement, judged, type Named } from './judgement.ts';

/** A level of detail beside the nearest, as it is seen from where it begins. */
export interface LevelRow {
  /** 1 for the first behind the nearest. */
  n: number;
  fromM: number;
  triangles: number;
  /** What the target gives it. */
  most: number;
  vertices: number;
  morphs: number;
  /** Its surface against the nearest's, at rest and in the pose where it is worst, millimetres. */
  restRmsMm: number;
  poseRmsMm: number;
  /** The heaviest place that looks otherwise than on the nearest, as seen from there, ΔE above 8 summed over its pixels; and how it would have to look to be as heavy as the target allows. */
  looks?: { weight: number; share: number; view: string; from: string | null; to: string | null };
}

/** The larger of both in pixels of a usual picture at the distance where the level begins. */
export const levelPixels = ({ fromM, restRmsMm, poseRmsMm }: LevelRow): number =>
  Math.max(restRmsMm, poseRmsMm) / pixelMm(fromM);

/** Nobody sees a surface that is off by less than this while it is swapped. */
const MOST_PIXELS = 1.5;

const worst = (rows: readonly LevelRow[], of: (row: LevelRow) => number): LevelRow =>
  rows.reduce((most, row) => (of(row) > of(most) ? row : most));

/** Whether levels are as small as they should be, and can take the nearest's place where they begin without being seen to. */
export function judgeLevels(rows: readonly LevelRow[]): Judgement[] {
  if (!rows.length) return [];
  const named = (rule: string, title: string, unit: string, blocking = false): Named => ({
      rule,
      title,
      unit,
      station: 'reduce',
      blocking,
    }),
    out: Judgement[] = [];
  const over = worst(rows, ({ triangles, most }) => triangles / most),
    few = over.triangles <= over.most;
  out.push({
    ...judged(
      named('levels.triangles', 'Level of detail furthest over its triangles', ''),
      over.triangles,
      over.most,
      few,
    ),
    message: few
      ? undefined
      : `Level ${over.n} of detail has ${over.triangles} triangles, the target gives it ${over.most}: with fewer, parts would gape or be gone.`,
  });
  const off = worst(rows, levelPixels),
    pixels = Math.round(levelPixels(off) * 100) / 100,
    near = pixels <= MOST_PIXELS;
  out.push({
    ...judged(named('levels.shape', 'Level of detail that is furthest off', 'pixels'), pixels, MOST_PIXELS, near),
    message: near
      ? undefined
      : `Level ${off.n} of detail is ${Math.max(off.restRmsMm, off.poseRmsMm).toFixed(1)} mm RMS off the nearest, ${pixels} pixels where it begins, ${off.fromM} m away; ${MOST_PIXELS} go unseen. Give it more triangles, or let it begin further away.`,
  });
  const drawn = rows.filter(({ looks }) => looks);
  if (drawn.length) {
    const seen = worst(drawn, ({ looks }) => looks?.share ?? 0),
      looks = seen.looks as NonNullable<LevelRow['looks']>,
      percent = Math.round(looks.share * 100),
      alike = percent <= 100,
      shown = (material: string | null) => (material === null ? 'nothing' : `“${material}”`);
    out.push({
      ...judged(named('levels.looks', 'Level of detail that looks most different', '%', true), percent, 100, alike),
      message: alike
        ? undefined
        : `Level ${seen.n} of detail, ${seen.fromM} m away: ${looks.from === looks.to ? `${shown(looks.to)} looks different` : `${shown(looks.to)} shows where ${shown(looks.from)} does on the nearest`} (${looks.view}), ${percent} % of what the target allows a result. Give it more triangles, or let it begin further away.`,
    });
  }
  return out;
}
