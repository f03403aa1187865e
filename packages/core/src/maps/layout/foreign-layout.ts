import { seamsFit } from './seams-fit.ts';
import type { SmallPicture } from './small-picture.ts';

/** A part of a figure format whose texture places are known. */
export interface KnownLayout {
  /** Id and title of the figure. */
  figure: string;
  title: string;
  part: string;
  /** Of `seamPlaces`. */
  seams: ArrayLike<number>;
}
export interface ForeignLayout {
  layout: KnownLayout;
  /** How much the map differs across seams, 0 … 1: those of the surface that wears it, and those it was painted for. */
  own: number;
  theirs: number;
}

/** A map that differs by less across its own seams fits; one that differs by more across another's wasn't painted for those. */
const FITS = 0.3;
const FITS_THEM = 0.45;
/** And by so many times less than across its own. */
const CLEARLY = 2;

/**
 * The layout that a map was painted for, where that is clearly another than the one it lies on.
 * @param own seams of the surface that wears it
 */
export function foreignLayout(
  picture: SmallPicture,
  own: ArrayLike<number>,
  known: readonly KnownLayout[],
): ForeignLayout | null {
  const here = seamsFit(picture, own);
  if (here === null || here < FITS) return null;
  let best: ForeignLayout | null = null;
  for (const layout of known) {
    const theirs = seamsFit(picture, layout.seams);
    if (theirs !== null && theirs < FITS_THEM && theirs * CLEARLY < here && theirs < (best?.theirs ?? Infinity))
      best = { layout, own: here, theirs };
  }
  return best;
}
