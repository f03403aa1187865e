import type { Document } from '@gltf-transform/core';
import type { Vec3 } from '../geometry/index.ts';
import { BITE_KINDS, pointsOf, restOf } from './inner-points.ts';
import { ballThrough, boxOf } from './similar.ts';

/** Where a character's eyeballs and bite are at rest, metres. */
export interface SeatPlaces {
  /** Left and right; one that is no ball is left out. */
  eyes: { at: Vec3; radius: number }[];
  bite: { middle: Vec3; half: Vec3 } | null;
}

export function seatPlaces(document: Document): SeatPlaces {
  const inner = restOf(document, ({ kind }) => kind === 'eye' || (BITE_KINDS as readonly string[]).includes(kind)),
    kind = BITE_KINDS.find((one) => pointsOf(inner, one).length),
    bite = kind && boxOf(pointsOf(inner, kind));
  return {
    eyes: (['left', 'right'] as const).flatMap((side) => ballThrough(pointsOf(inner, 'eye', side)) ?? []),
    bite: bite && bite.wide > 0 ? { middle: bite.middle, half: bite.half } : null,
  };
}
