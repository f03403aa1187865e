import type { Finding } from '../../problem.ts';
import { ProblemError } from '../../problem.ts';
import { type Baked, TELLING } from './bake-normals.ts';
import type { FineSurface } from './fine-surface.ts';
import type { OwnMap } from './lay-detail.ts';
import type { Sheet } from './sheets.ts';

/** Where half of the finer model lies farther from the body than this part of its height, it is another body or pose. */
const ELSEWHERE = 0.01;
/** Sheets of which the finer model covers less are another garment's, of texels. */
const COVERED = 0.3;
/** Less of a sheet with another direction is nothing to keep a map for, of texels. */
const WORTH = 0.003;
/** As many of a sheet's texels that several places wear matter, and they can't be served together where these want to differ from the map by as much of what it holds. */
const SEVERAL = 0.25,
  DISPUTED = 0.5;

/** @throws ProblemError materials.finer-empty, materials.finer-elsewhere */
export function refuseFine(fine: FineSurface, height: number, name: string): void {
  if (!fine.indices.length)
    throw new ProblemError(
      'materials.finer-empty',
      `“${name}” has no surface that detail could be taken from: hair, glass and the like don't count. Choose the sculpted or subdivided model.`,
      name,
    );
  if (!(fine.apart <= ELSEWHERE * height))
    throw new ProblemError(
      'materials.finer-elsewhere',
      `“${name}” doesn't lie on this character: half of it is more than ${(fine.apart * 100).toFixed(1)} cm away. Bring it in in the same pose and place; its unit and up axis are found by themselves.`,
      name,
    );
}

/** Whether the finer model is about a sheet at all. */
export const isCovered = ({ texels, missing }: Baked): boolean => texels > 0 && texels - missing >= COVERED * texels;

/** Why nothing is kept of what was baked for a sheet; null where it is worth a map. @param asked whether somebody named it */
export function notWorth({ name }: Sheet, baked: Baked, from: string, asked: boolean): Finding | null {
  const filled = baked.texels - baked.missing;
  const disputed = baked.meanDegrees ? baked.disputedDegrees / baked.meanDegrees : 0;
  if (baked.shared > SEVERAL * filled && disputed > DISPUTED)
    return {
      code: 'materials.detail-repeated',
      severity: asked ? 'warning' : 'info',
      message: `“${name}” has several places of the surface on the same texels, which want directions that differ by ${baked.disputedDegrees.toFixed(1)}°, while all detail there is ${baked.meanDegrees.toFixed(1)}° in the mean. It gets none; give it texture places of its own first.`,
      where: name,
      measured: baked.disputedDegrees,
      limit: DISPUTED * baked.meanDegrees,
    };
  if (baked.telling < WORTH)
    return {
      code: 'materials.finer-same',
      severity: 'info',
      message: `“${from}” holds nothing more of “${name}” than the mesh itself: ${percent(1 - baked.telling)} of it is within ${TELLING}°.`,
      where: name,
      measured: baked.meanDegrees,
    };
  return null;
}

const OWN: Readonly<Record<OwnMap, string>> = {
  none: '',
  over: ' The normal map that was there lies on top.',
  replaced: ' It stands in place of the normal map that was there.',
  kept: '',
  unreadable: ' The normal map that was there can’t be opened, and was replaced.',
};

/** What was done for a sheet. */
export function toldOfSheet({ name }: Sheet, baked: Baked, own: OwnMap, from: string): Finding {
  const degrees = baked.meanDegrees.toFixed(1);
  if (own === 'kept')
    return {
      code: 'materials.detail-kept-own',
      severity: 'info',
      message: `The normal map of “${name}” stayed: it holds what “${from}” has there already (${degrees}° in the mean), or is to stay.`,
      where: name,
      measured: baked.meanDegrees,
    };
  const missing = baked.missing / baked.texels;
  return {
    code: 'materials.detail-made',
    severity: missing > 0.2 ? 'warning' : 'info',
    message: `“${name}” has the directions of “${from}” in a map of ${baked.pixels.width}² now, ${degrees}° in the mean off those of the mesh.${OWN[own]}${missing > 0.005 ? ` ${percent(missing)} of it found nothing there and stayed level.` : ''}`,
    where: name,
    measured: baked.meanDegrees,
  };
}

const percent = (share: number): string => `${share < 0.1 ? (share * 100).toFixed(1) : Math.round(share * 100)} %`;
