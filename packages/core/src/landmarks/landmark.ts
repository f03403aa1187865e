import { sub, unit } from '../geometry/index.ts';

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

export const towards = (a: ArrayLike<number>, d: ArrayLike<number>, by: number): Point => [
  a[0] + d[0] * by,
  a[1] + d[1] * by,
  a[2] + d[2] * by,
];
export const direction = (from: ArrayLike<number>, to: ArrayLike<number>): Point => unit(sub(to, from));
