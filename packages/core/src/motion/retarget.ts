import type { Document } from '@gltf-transform/core';
import { type HumanoidRole, jointPosition, skeletonOf, type Skeleton } from '../character/index.ts';
import {
  compose,
  quatConjugate,
  quatMultiply,
  quatRotate,
  rotationOf,
  sub,
  type Quat,
  type Vec3,
} from '../geometry/index.ts';
import { directionsOf, jointRoles, playableClips, roleIndex, turnsToward, type PlayableClip } from '../rig/index.ts';

type Roles = ReadonlyMap<HumanoidRole, number>;
export interface Retarget {
  clips: PlayableClip[];
  /** Roles that both have, and how much larger the target's legs are. */
  shared: number;
  scale: number;
}

/**
 * Plays a motion of one skeleton on another through roles: each joint's turn away from its own rest, with both rests
 * brought to the same pose first, is given to the joint of the same role; what has no counterpart goes with the joint
 * above; the hips' way is scaled by the length of the legs, and set so that the lowest foot of the clip stands where the
 * lowest foot of the rest stands: a captured root has no offset of its own, and would float by its height otherwise.
 * @param onto skeleton as it stands, +Y up, facing +Z, metres
 * @param options `inPlace` leaves out how far the whole motion leads along the ground, and starts where the figure stands; up and down stay
 */
export function retarget(motion: Document, onto: Skeleton, roles: Roles, { inPlace = false } = {}): Retarget {
  const from = skeletonOf(motion),
    own = roleIndex(jointRoles(motion, from)),
    pairs = [...roles].flatMap(([role, joint]): [number, number][] => {
      const source = own.get(role);
      return source === undefined ? [] : [[joint, source]];
    });
  const sourceOf = new Map(pairs),
    shared = new Map([...own].filter(([role]) => roles.has(role)));
  // The motion's rest, posed as the target rests: a turn away from there means the same for both.
  const aligned = turnsToward(from, shared, directionsOf(onto, new Map([...roles].filter(([role]) => own.has(role)))));
  const scale = legOf(onto, roles) / (legOf(from, own) || 1) || 1,
    hips = roles.get('hips'),
    fromHips = own.get('hips');
  const feet = (['leftFoot', 'rightFoot', 'leftToes', 'rightToes'] as const).flatMap((role) => roles.get(role) ?? []),
    restFloor =
      feet.length && hips !== undefined && fromHips !== undefined
        ? Math.min(...feet.map((foot) => jointPosition(onto, foot)[1]))
        : null;
  const restOf = (skeleton: Skeleton, j: number): Quat => rotationOf(skeleton.global, j * 16);
  const clips = playableClips(motion).map((clip): PlayableClip => {
    const out = new Float64Array(onto.global.length),
      turns: Quat[] = [];
    const wayAt = (posed: Float64Array): Vec3 =>
      fromHips === undefined
        ? [0, 0, 0]
        : sub(
            [posed[fromHips * 16 + 12], posed[fromHips * 16 + 13], posed[fromHips * 16 + 14]],
            jointPosition(from, fromHips),
          );
    const began = inPlace ? wayAt(clip.at(0)) : null,
      drift = inPlace ? sub(wayAt(clip.at(clip.seconds)), wayAt(clip.at(0))) : null;
    let lift = 0;
    const posedAt = (time: number): Float64Array => {
      const posed = clip.at(time);
      onto.joints.forEach((_, j) => {
        const up = onto.parent[j],
          source = sourceOf.get(j);
        turns[j] =
          source === undefined
            ? up < 0
              ? [0, 0, 0, 1]
              : turns[up]
            : quatMultiply(
                rotationOf(posed, source * 16),
                quatConjugate(quatMultiply(aligned[source], restOf(from, source))),
              );
        const rest = jointPosition(onto, j);
        let at: Vec3;
        if (j === hips) {
          const way = wayAt(posed),
            done = clip.seconds ? time / clip.seconds : 0;
          // Along the ground (x, z) a motion on the spot keeps only its swaying.
          at = [0, 1, 2].map(
            (k) =>
              rest[k] +
              (k === 1 ? lift : 0) +
              (way[k] - (k === 1 ? 0 : (began?.[k] ?? 0) + (drift?.[k] ?? 0) * done)) * scale,
          ) as Vec3;
        } else if (up < 0) at = rest;
        else {
          const offset = quatRotate(turns[up], sub(rest, jointPosition(onto, up)));
          at = [out[up * 16 + 12] + offset[0], out[up * 16 + 13] + offset[1], out[up * 16 + 14] + offset[2]];
        }
        compose(out, j * 16, at, quatMultiply(turns[j], restOf(onto, j)), [1, 1, 1]);
      });
      return out;
    };
    lift = restFloor === null ? 0 : restFloor - lowestFoot(feet, posedAt, clip.seconds);
    return { name: clip.name, seconds: clip.seconds, at: posedAt };
  });
  return { clips, shared: pairs.length, scale };
}

/** Times of a clip at which its feet are looked at; a second at 30 frames a second and more of a long one. */
const FLOOR_SAMPLES = 120;

/** Height of the lowest foot over a clip, metres. */
function lowestFoot(feet: readonly number[], at: (time: number) => Float64Array, seconds: number): number {
  let low = Infinity;
  for (let i = 0; i <= FLOOR_SAMPLES; i++) {
    const posed = at((seconds * i) / FLOOR_SAMPLES);
    for (const foot of feet) low = Math.min(low, posed[foot * 16 + 13]);
  }
  return low;
}

/** Hip to ankle, metres; one side's where only that is there. */
function legOf(skeleton: Skeleton, roles: Roles): number {
  for (const side of ['left', 'right'] as const) {
    const [hip, knee, foot] = (['UpperLeg', 'LowerLeg', 'Foot'] as const).map((name) => roles.get(`${side}${name}`));
    if (hip !== undefined && knee !== undefined && foot !== undefined)
      return (
        Math.hypot(...sub(jointPosition(skeleton, hip), jointPosition(skeleton, knee))) +
        Math.hypot(...sub(jointPosition(skeleton, knee), jointPosition(skeleton, foot)))
      );
  }
  return 0;
}
