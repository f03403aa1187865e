import type { FigurePart } from './part.ts';

/** Longer legs first, then trunk and arms; the head stays as large as it was. */
const TALLER = 0.05;

/** How far a place rises when the figure grows: all of it up to the neck's root, nothing more above. Metres, for a figure of 179 cm. */
const rise = (y: number): number => TALLER * Math.min(y, 1.5);

/** Where a joint of a figure of `height` (a factor of 179 cm) belongs once it has grown: what the morph alone can't say. */
export const grownPlace = ([x, y, z]: readonly [number, number, number], height: number): [number, number, number] => [
  x,
  y + height * rise(y / height),
  z,
];

/** A morph that makes the figure taller as a whole; joints have to follow it to their new places. Adds to every part. */
export function addStature(parts: readonly FigurePart[]): void {
  for (const {
    surface: { positions },
    morphs,
  } of parts)
    morphs.set(
      'build_tall',
      Float32Array.from(positions, (_, i) => (i % 3 === 1 ? rise(positions[i]) : 0)),
    );
}
