import { far, type HumanoidRole } from '../character/index.ts';
import { NEUTRAL_PLACES } from '../targets/index.ts';
import type { Point } from './landmark.ts';

/** Joint places of somebody who stands upright, metres: whose proportions are taken where a body's own can't be seen. */
export type Places = Readonly<Partial<Record<HumanoidRole, Readonly<Point>>>>;

/** What is assumed of a body that its surface doesn't show, metres; from the joint places of another. */
export interface Build {
  hip: { y: number; half: number };
  /** Root of the trunk above the hip joints. */
  hips: number;
  /** Share of the leg, hip to ankle, and of the arm, shoulder to wrist, at which it bends. */
  knee: number;
  elbow: number;
  ankle: number;
  /** From the ankle forward to where the toes bend, and how high that lies. */
  ball: { forward: number; y: number };
  shoulder: { y: number; half: number; arm: number };
  /** Above the shoulders, and behind or before their middle. */
  neck: { up: number; forward: number };
  /** From between the eyes. */
  head: { up: number; forward: number };
  jaw: { up: number; forward: number };
  eyes: number;
}

/** Eyes of an adult, share of the height (Winter, Biomechanics and Motor Control of Human Movement). */
export const EYES = 0.936;

/**
 * @param places of the joints that it is to be like
 * @param eyes how high those of the body are
 */
export function buildOf(places: Places, eyes: number): Build {
  const at = (role: HumanoidRole): Readonly<Point> => places[role] ?? NEUTRAL_PLACES[role],
    whole = (...roles: HumanoidRole[]): readonly Readonly<Point>[] =>
      // Lengths of one body: all of its joints, or none.
      roles.every((role) => places[role]) ? roles.map(at) : roles.map((role) => NEUTRAL_PLACES[role]),
    ownEyes = places.leftEye ? places.leftEye[1] : places.head ? places.head[1] + 0.055 : NEUTRAL_PLACES.leftEye[1],
    s = eyes / ownEyes,
    [hip, knee, ankle, ball] = whole('leftUpperLeg', 'leftLowerLeg', 'leftFoot', 'leftToes'),
    [shoulder, elbow, wrist] = whole('leftUpperArm', 'leftLowerArm', 'leftHand'),
    [pelvis, thighs] = whole('hips', 'leftUpperLeg'),
    [neck, arm] = whole('neck', 'leftUpperArm'),
    [skull, eye] = whole('head', 'leftEye'),
    [jaw, beside] = whole('jaw', 'leftEye'),
    thigh = far(hip, knee),
    upper = far(shoulder, elbow);
  return {
    hip: { y: s * hip[1], half: s * Math.abs(hip[0]) },
    hips: s * (pelvis[1] - thighs[1]),
    knee: thigh / (thigh + far(knee, ankle)),
    elbow: upper / (upper + far(elbow, wrist)),
    ankle: s * ankle[1],
    ball: { forward: s * (ball[2] - ankle[2]), y: s * ball[1] },
    shoulder: { y: s * shoulder[1], half: s * Math.abs(shoulder[0]), arm: s * (upper + far(elbow, wrist)) },
    neck: { up: s * (neck[1] - arm[1]), forward: s * (neck[2] - arm[2]) },
    head: { up: s * (skull[1] - eye[1]), forward: s * (skull[2] - eye[2]) },
    jaw: { up: s * (jaw[1] - beside[1]), forward: s * (jaw[2] - beside[2]) },
    eyes,
  };
}
