import type { HumanoidRole } from '../character/index.ts';
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
  /** Centres of the joints, by role: those that the spine is bent by, the limbs', the fingers', head, jaw and eyes. */
  joints: JointFound[];
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
export const between = (a: ArrayLike<number>, b: ArrayLike<number>, t: number): Point => [
  a[0] + (b[0] - a[0]) * t,
  a[1] + (b[1] - a[1]) * t,
  a[2] + (b[2] - a[2]) * t,
];

/** A joint's place as shape and proportion tell it. */
export interface JointFound {
  role: HumanoidRole;
  /** Metres. */
  at: Point;
  /** What it was found by. */
  how: JointCue;
  /** 0 … 1. */
  confidence: number;
}
/** Put there by hand; seen in the shape, seen in part, or assumed. */
export type JointCue = 'hand' | 'eyes' | 'bend' | 'finger' | 'sections' | 'sections and proportion' | 'proportion';
