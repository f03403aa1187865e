import type { Deformer } from '../character/index.ts';
import { withMark } from './pair.ts';
import { type Distance, distanceWithin, type MeasuredSurface } from './surface-distance.ts';

/** A morph is measured where it moves a corner by more than this, metres: elsewhere it is the rest shape. */
const MOVES = 1e-5;
/** Samples on each side in the region that a morph moves. */
const MORPH_SAMPLES = 2000;

interface Morphed {
  deformer: Deformer;
  surface: MeasuredSurface;
  /** Positions at rest, which the surface stands in before and after. */
  rest: Float32Array;
  /** 1 for triangles that clothes cover. */
  hidden: Uint8Array;
  /** Written to: positions with the morph. */
  now: Float32Array;
}

/** Two figures to be morphed side by side. */
export interface MorphedPair {
  source: Morphed;
  result: Morphed;
}

/** How far two figures are from each other with one morph in full, there where it moves something. */
export function morphDistance({ source, result }: MorphedPair, name: string, seed: number): Distance {
  const inSource = take(source, name),
    inResult = take(result, name);
  const found = distanceWithin(source.surface, result.surface, inSource, inResult, MORPH_SAMPLES, seed);
  source.surface.moveBack(source.rest);
  result.surface.moveBack(result.rest);
  return found;
}

/** Puts the surface into the morph's shape; of the triangles it moves those that can be seen, or all where none can. */
function take({ deformer, surface, hidden, now }: Morphed, name: string): Uint32Array {
  const moved = deformer.movedTriangles(name, MOVES),
    seen = withMark(moved, hidden, 0);
  // The surface follows whatever moves, by however little.
  surface.moveSome(deformer.evaluate(now, { [name]: 1 }), deformer.movedTriangles(name, 0));
  return seen.length ? seen : moved;
}
