import type { FigurePart } from './part.ts';

/** Longer legs first, then trunk and arms; the head stays as large as it was. */
const TALLER = 0.05;

/** How far a place rises when the figure grows: all of it up to the neck's root, nothing more above. Metres. */
const rise = (y: number, root: number): number => TALLER * Math.min(y, root);

/**
 * Where a joint belongs once the figure has grown: what the morph alone can't say.
 * @param root height of the neck's root
 */
export const grownPlace = ([x, y, z]: readonly [number, number, number], root: number): [number, number, number] => [
  x,
  y + rise(y, root),
  z,
];

/** A morph that makes the figure taller as a whole; joints have to follow it to their new places. Adds to every part. */
export function addStature(parts: readonly FigurePart[], root: number): void {
  for (const {
    surface: { positions },
    morphs,
  } of parts)
    morphs.set(
      'build_tall',
      Float32Array.from(positions, (_, i) => (i % 3 === 1 ? rise(positions[i], root) : 0)),
    );
}
