import { type Judgement, judged } from './judgement.ts';

/** What storing arrays with losses changed, at most. */
export interface CompressionChange {
  /** Vertices at rest, and what morphs move them by, millimetres. */
  restMm: number;
  morphMm: number;
  /** Normals and tangents. */
  normalDegrees: number;
  /** Texture places, in texels of a map of 4096. */
  texels: number;
  /** Weight of one joint at one vertex, of 1. */
  weight: number;
}

/** What compression may change: less than any of it is seen by. Twice what whole numbers of 16 bits take from a figure 3 m long. */
export const COMPRESSION_LIMITS = { mm: 0.1, degrees: 0.25, texels: 0.25, weight: 0.001 } as const;

const rounded = (value: number, digits: number): number => Number(value.toFixed(digits));

/** Compression as rules: each kind of number held against what may be lost of it. */
export function judgeCompression(change: CompressionChange): Judgement[] {
  const rule = (
    name: string,
    title: string,
    measured: number,
    limit: number,
    unit: string,
    what: string,
    digits = 3,
  ): Judgement => {
    const ok = measured <= limit;
    return {
      ...judged(
        { rule: `delivered.compressed-${name}`, title, station: 'deliver', unit },
        rounded(measured, digits),
        limit,
        ok,
      ),
      message: ok
        ? undefined
        : `Compression changes ${what} by up to ${rounded(measured, digits)} ${unit}; ${limit} may be lost. Choose another compression in the target, or take out what stands far from the figure: all parts share one volume.`,
    };
  };
  return [
    rule(
      'places',
      'Moved by compression, at rest or in a morph',
      Math.max(change.restMm, change.morphMm),
      COMPRESSION_LIMITS.mm,
      'mm',
      'places of vertices',
    ),
    rule(
      'normals',
      'Normals turned by compression',
      change.normalDegrees,
      COMPRESSION_LIMITS.degrees,
      '°',
      'directions of normals',
    ),
    rule(
      'maps',
      'Texture places moved by compression, of 4096',
      change.texels,
      COMPRESSION_LIMITS.texels,
      'texels',
      'texture places',
    ),
    rule(
      'weights',
      'Weights changed by compression',
      change.weight * 100,
      COMPRESSION_LIMITS.weight * 100,
      '%',
      'weights',
      4,
    ),
  ];
}
