import {
  dot,
  quatBetween,
  quatConjugate,
  quatMultiply,
  quatRotate,
  sub,
  unit,
  type Quat,
  type Vec3,
} from '../geometry/index.ts';

const add = (a: Vec3, b: Vec3, s = 1): Vec3 => [a[0] + b[0] * s, a[1] + b[1] * s, a[2] + b[2] * s];

/**
 * Two-bone inverse kinematics: own turns of a limb's upper and lower joint, away from rest, that bring its end to a
 * goal, the middle joint bending towards `pole`. A goal out of reach is approached on the straight limb.
 * @param a, b, c places of the three joints at rest; the goal in the frame that the limb's parent has turned to
 */
export function reach(a: Vec3, b: Vec3, c: Vec3, goal: Vec3, pole: Vec3): { upper: Quat; lower: Quat } {
  const l1 = Math.hypot(...sub(b, a)),
    l2 = Math.hypot(...sub(c, b)),
    to = sub(goal, a),
    far = Math.hypot(...to) || 1e-9;
  const d = Math.max(Math.abs(l1 - l2) + 1e-6, Math.min(l1 + l2 - 1e-6, far)),
    forward = unit(to);
  // How far along the way, and how far out of it, the middle joint stands.
  const along = (d * d + l1 * l1 - l2 * l2) / (2 * d),
    out = Math.sqrt(Math.max(0, l1 * l1 - along * along));
  const side = add(pole, forward, -dot(pole, forward)),
    bend = Math.hypot(...side) > 1e-6 ? unit(side) : unit(sub([forward[1], -forward[0], 0.1], [0, 0, 0]));
  const middle = add(add(a, forward, along), bend, out),
    end = add(a, forward, d);
  const upper = quatBetween(unit(sub(b, a)), unit(sub(middle, a)));
  const wanted = quatRotate(quatConjugate(upper), sub(end, middle));
  return { upper, lower: quatBetween(unit(sub(c, b)), unit(wanted)) };
}

/** What the end joint has to turn for itself so that it points as at rest. */
export const levelled = (upper: Quat, lower: Quat): Quat => quatConjugate(quatMultiply(upper, lower));
