import { far, type HumanoidRole } from '../character/index.ts';
import { cross, dot, unit } from '../geometry/index.ts';
import { type Arm, HAND } from './arms.ts';
import { along, lengthOf } from './sections.ts';
import type { Hand } from './hands.ts';
import {
  between,
  direction,
  FINGERS,
  type Finger,
  type JointFound,
  type Point,
  type Side,
  towards,
} from './landmark.ts';

/**
 * Lengths of a finger's bones, from the palm to the tip, over the hand's from the wrist: after Buryanov & Kotiuk 2010, the
 * flesh of the tip with the last.
 */
const BONES: Readonly<Record<Finger, readonly [number, number, number]>> = {
  thumb: [0.243, 0.166, 0.135],
  index: [0.209, 0.118, 0.104],
  middle: [0.235, 0.138, 0.113],
  ring: [0.218, 0.135, 0.112],
  little: [0.172, 0.095, 0.105],
};
/** Where a finger begins whose tip isn't seen: along the hand, across it towards the thumb, and how it spreads there. */
const BEGINS: Readonly<Record<Finger, readonly [number, number, number]>> = {
  thumb: [0.17, 0.22, 0.5],
  index: [0.47, 0.1, 0.06],
  middle: [0.485, 0.03, 0.02],
  ring: [0.465, -0.05, -0.03],
  little: [0.44, -0.12, -0.1],
};
/** How far from the wrist a finger begins, share of the hand. */
const ROOT: Readonly<Record<Finger, number>> = { thumb: 0.28, index: 0.48, middle: 0.485, ring: 0.468, little: 0.456 };
const NAMES = ['Proximal', 'Intermediate', 'Distal'] as const,
  THUMB = ['Metacarpal', 'Proximal', 'Distal'] as const;

const roleOf = (side: Side, finger: Finger, bone: number): HumanoidRole =>
  `${side}${finger[0].toUpperCase()}${finger.slice(1)}${(finger === 'thumb' ? THUMB : NAMES)[bone]}` as HumanoidRole;

/** Joints of the fingers, walked from each tip along its finger; all by proportion where five don't come free. */
export function findFingers(side: Side, arm: Arm, hand: Hand | null, height: number): JointFound[] {
  return hand ? walked(side, arm, hand) : assumed(side, arm, height);
}

function walked(side: Side, { wrist }: Arm, { lines, long }: Hand): JointFound[] {
  return FINGERS.flatMap((finger) => {
    const line = lines[finger],
      end = line[line.length - 1],
      free = lengthOf(line),
      [a, b, c] = BONES[finger].map((share) => share * long),
      way = direction(line[Math.max(0, line.length - 6)], end),
      root = rootFrom(end, way, a + b + c - free, wrist, finger === 'thumb' ? null : ROOT[finger] * long),
      on = direction(end, root),
      walk = (by: number) => (by <= free ? along(line, by) : towards(end, on, by - free));
    return [a + b + c, b + c, c].map(
      (by, bone): JointFound => ({
        role: roleOf(side, finger, bone),
        at: walk(by),
        how: 'finger',
        confidence: by <= free ? 0.85 : 0.75,
      }),
    );
  });
}

/**
 * Where a finger begins in the palm, so far on from where it comes free. One that lies in its palm's line goes on as it
 * came, bent a little towards the wrist; one that is bent turns at its root, which lies so far from the wrist.
 */
function rootFrom(end: Point, way: Point, on: number, wrist: Point, off: number | null): Point {
  const back = direction(end, wrist),
    straight = dot(way, back);
  if (off !== null && straight < BENT && on > 0) {
    const across = far(end, wrist),
      // Corner of the triangle with these sides, where they reach.
      t = (on * on + across * across - off * off) / (2 * across),
      up = on * on - t * t;
    if (up > 0) return towards(towards(end, back, t), unit(towards(way, back, -straight)), Math.sqrt(up));
  }
  return towards(end, unit(between(way, back, off === null ? 0.5 : 0.25)), Math.max(on, 1e-4));
}
/** Cosine between a finger and the line to the wrist, under which it is bent. */
const BENT = 0.88;

/** How far a closed finger's first two bones are turned, as cosine and sine: 80° and 160°. */
const CLOSED = [
  [0.17364818, 0.98480775],
  [-0.93969262, 0.34202014],
] as const;
/** A hand that ends nearer to its wrist is a fist, share of the height. */
const SHORT = 0.093,
  FOREARM = 0.07;

/** The average hand, its palm towards the body and the thumb to the front; its fingers closed where it is as short as a fist. */
function assumed(side: Side, { wrist, tip, line }: Arm, height: number): JointFound[] {
  const reach = far(wrist, tip),
    closed = reach < SHORT * height,
    long = closed ? HAND * height : Math.min(1.04 * HAND * height, reach),
    // What of a fist lies farthest is its thumb: the forearm says where it points.
    way = direction(along(line, FOREARM * height), wrist),
    front = Math.abs(way[2]) > 0.9 ? cross([0, 1, 0], way) : unit(towards([0, 0, 1], way, -way[2])),
    palm = cross(way, front).map((x) => (side === 'left' ? x : -x)) as Point;
  return FINGERS.flatMap((finger) => {
    const [out, across, spread] = BEGINS[finger],
      straight = unit(towards(way, front, spread)),
      [a, b] = BONES[finger],
      bone = (n: number): Point =>
        closed && finger !== 'thumb'
          ? unit(towards(towards([0, 0, 0], way, CLOSED[n][0]), palm, CLOSED[n][1]))
          : straight,
      first = towards(towards(wrist, way, out * long), front, across * long),
      second = towards(first, bone(0), a * long);
    return [first, second, towards(second, bone(1), b * long)].map(
      (at, n): JointFound => ({ role: roleOf(side, finger, n), at, how: 'proportion', confidence: 0.3 }),
    );
  });
}

/** Where a finger begins, as a landmark. */
export const rootOf = (joints: readonly JointFound[], side: Side, finger: Finger): Point | undefined =>
  joints.find(({ role }) => role === roleOf(side, finger, 0))?.at;
