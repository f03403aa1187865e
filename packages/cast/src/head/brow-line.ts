import type { Point } from './curves.ts';

/** The line a brow runs along, from the nose outwards; head's millimetres. */
export const browLine = (browY: number): Point[] => [
  [9, 127 + browY, 0],
  [17, 129.6 + browY, 0],
  [30, 132.6 + browY, 0],
  [40, 131.8 + browY, 0],
  [50, 127 + browY, 0],
];
