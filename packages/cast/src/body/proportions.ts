import { dot, sub, unit } from '@dimetra/core';
import { lerp, step } from '../head/curves.ts';
import { ELBOW, fromHead, SHOULDER, WRIST } from './joints.ts';

/** What makes one person's lengths and breadths differ from another's, as factors of the average. */
export interface Proportions {
  thigh: number;
  shin: number;
  /** Length, breadth and depth of the foot about the ankle. */
  foot: number;
  /** From the hips to the root of the neck. */
  trunk: number;
  neck: number;
  /** All of the head. */
  head: number;
  /** Breadth from shoulder to shoulder, and from hip to hip; the trunk between follows. */
  shoulders: number;
  hips: number;
  /** Depth of the trunk, front to back. */
  depth: number;
  upperArm: number;
  forearm: number;
  /** All of the hand, about the wrist. */
  hand: number;
}
export const AVERAGE_PROPORTIONS: Proportions = {
  thigh: 1,
  shin: 1,
  foot: 1,
  trunk: 1,
  neck: 1,
  head: 1,
  shoulders: 1,
  hips: 1,
  depth: 1,
  upperArm: 1,
  forearm: 1,
  hand: 1,
};

type Place = [number, number, number];
/** Moves a place of the average body, metres, to where it lies on another. */
export type Reshape = (p: ArrayLike<number>) => Place;

/** Heights of the average body at which one length ends and the next begins, metres. */
const ANKLE = 0.1,
  KNEE = 0.505,
  HIP = 0.925,
  NECK = 1.455,
  SKULL = 1.525,
  CROWN = 1.79;
/** About which the head grows. */
const HEAD = fromHead([0, 48, -14]);
/** How softly one factor passes into the next, metres to each side. */
const SOFT = 0.03;
const HIP_X = 0.095,
  ANKLE_AT: readonly [number, number] = [0.112, -0.028];

/**
 * The average body brought to other proportions: one smooth map of space for skin, clothes, hair and joints alike, so that
 * what lies on one another stays so, and every true place is known. Lengths change along the limbs, the head, hands and
 * feet as wholes. As tall as before; arms hang 45 degrees.
 */
export function reshape(p: Proportions): Reshape {
  const height = lengths([
      [0, p.foot],
      [ANKLE, p.shin],
      [KNEE, p.thigh],
      [HIP, p.trunk],
      [NECK, p.neck],
      [SKULL, p.head],
    ]),
    scale = CROWN / height(CROWN),
    trunk = trunkOf(p, height),
    arm = armOf(p, trunk(SHOULDER[0], SHOULDER[1], SHOULDER[2]));
  return (at) => {
    const side = at[0] < 0 ? -1 : 1,
      x = Math.abs(at[0]),
      y = at[1],
      z = at[2],
      share = armShare(x, y),
      a = share < 1 ? trunk(x, y, z) : null,
      b = share > 0 ? arm(x, y, z) : null,
      to = (k: number) => scale * (a && b ? lerp(a[k], b[k], share) : (a ?? (b as Place))[k]);
    return [side * to(0), to(1), to(2)];
  };
}

/** How far up a place comes, of factors that begin at heights; factors pass into one another softly. */
function lengths(from: readonly (readonly [number, number])[]): (y: number) => number {
  // A factor that begins at `h` counts by ∫ step(h − s, h + s, y) dy, which is a quartic within the soft part.
  const ramp = (h: number, y: number): number => {
    if (y <= h - SOFT) return 0;
    if (y >= h + SOFT) return y - h;
    const t = (y - h + SOFT) / (2 * SOFT);
    return 2 * SOFT * (t * t * t - (t * t * t * t) / 2);
  };
  return (y) => {
    let out = from[0][1] * y;
    for (let i = 1; i < from.length; i++) out += (from[i][1] - from[i - 1][1]) * ramp(from[i][0], y);
    return out;
  };
}

/** Trunk, legs, neck and head: heights by their lengths, breadths and depths by height. */
function trunkOf(p: Proportions, height: (y: number) => number): (x: number, y: number, z: number) => Place {
  const headY = height(HEAD[1]),
    apart = HIP_X * (p.hips - 1);
  return (x, y, z) => {
    const skull = step(NECK + 0.015, SKULL, y),
      chest = step(HIP + 0.06, 1.36, y),
      neck = step(SHOULDER[1], NECK + 0.03, y),
      breadth = lerp(lerp(p.hips, p.shoulders, chest), 1, neck),
      depth = lerp(lerp(1, p.depth, step(0.78, HIP, y)), 1, neck);
    // Legs stand further apart; they don't grow broader.
    const legs = 1 - step(0.8, 0.94, y),
      leg = x + apart * step(0, 0.05, x);
    let outX = lerp(x * breadth, leg, legs),
      outY = height(y),
      outZ = z * depth;
    const foot = 1 - step(ANKLE - 0.01, ANKLE + 0.09, y);
    if (foot > 0) {
      const [ax, az] = ANKLE_AT;
      outX += foot * (p.foot - 1) * (x - ax) * step(0, 0.05, x);
      outZ += foot * (p.foot - 1) * (z - az);
    }
    if (skull > 0) {
      outX = lerp(outX, x * p.head, skull);
      outY = lerp(outY, headY + (y - HEAD[1]) * p.head, skull);
      outZ = lerp(outZ, HEAD[2] + (z - HEAD[2]) * p.head, skull);
    }
    return [outX, outY, outZ];
  };
}

const ARM = unit(sub(WRIST, SHOULDER)),
  UPPER = along(ELBOW),
  ARM_LENGTH = along(WRIST);
/** How far along the arm's line a place lies, from the shoulder. */
function along(at: readonly number[]): number {
  return dot(sub(at, SHOULDER), ARM);
}

/** The arm from where its shoulder went: longer or shorter along its line, the hand as a whole. */
function armOf(p: Proportions, shoulder: Place): (x: number, y: number, z: number) => Place {
  const length = lengths([
    [-1, 1],
    [0, p.upperArm],
    [UPPER, p.forearm],
    [ARM_LENGTH, p.hand],
  ]);
  const zero = length(0);
  return (x, y, z) => {
    const s = along([x, y, z]),
      to = length(s) - zero,
      hand = lerp(1, p.hand, step(ARM_LENGTH - 0.035, ARM_LENGTH + 0.02, s));
    const off = [x - SHOULDER[0] - s * ARM[0], y - SHOULDER[1] - s * ARM[1], z - SHOULDER[2] - s * ARM[2]];
    return [0, 1, 2].map((k) => shoulder[k] + to * ARM[k] + off[k] * hand) as Place;
  };
}

/** 0 on the trunk, 1 on the arm: which side of the line a place lies on that halves the angle between flank and arm. Neck and head are the trunk's. */
function armShare(x: number, y: number): number {
  const u = x - (SHOULDER[0] - 0.015),
    w = y - (SHOULDER[1] - 0.12);
  return step(-0.055, 0.06, 0.924 * u + 0.383 * w) * (1 - step(SHOULDER[1] + 0.035, SKULL, y));
}
