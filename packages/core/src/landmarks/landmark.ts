export type Point = [number, number, number];
export const SIDES = ['left', 'right'] as const;
export type Side = (typeof SIDES)[number];
export const FINGERS = ['thumb', 'index', 'middle', 'ring', 'little'] as const;
export type Finger = (typeof FINGERS)[number];

export interface Landmark {
  name: string;
  /** Metres. */
  at: Point;
  /** 0 … 1. */
  confidence: number;
}

/** What was found on a body; where it is none of one standing person, why. */
export interface Landmarks {
  landmarks: Landmark[];
  /** That this is one standing person who faces along +Z, 0 … 1. */
  confidence: number;
  /** A sentence that says what is missing or too much. */
  refused?: string;
}

export const minus = (a: ArrayLike<number>, b: ArrayLike<number>): Point => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
export const dot = (a: ArrayLike<number>, b: ArrayLike<number>): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
export const lengthOf = (a: ArrayLike<number>): number => Math.sqrt(dot(a, a));
export const far = (a: ArrayLike<number>, b: ArrayLike<number>): number => lengthOf(minus(a, b));
export const towards = (a: ArrayLike<number>, d: ArrayLike<number>, by: number): Point => [
  a[0] + d[0] * by,
  a[1] + d[1] * by,
  a[2] + d[2] * by,
];
export function direction(from: ArrayLike<number>, to: ArrayLike<number>): Point {
  const d = minus(to, from),
    l = lengthOf(d) || 1;
  return [d[0] / l, d[1] / l, d[2] / l];
}
