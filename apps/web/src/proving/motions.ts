import { retarget, sampleMotions } from '@dimetra/core';
import {
  AnimationClip,
  AnimationMixer,
  Matrix4,
  type Object3D,
  PropertyBinding,
  Quaternion,
  QuaternionKeyframeTrack,
  Vector3,
  VectorKeyframeTrack,
} from 'three';
import type { Puppet } from './skeleton.ts';
import type { Soles } from './soles.ts';

/** A motion ready to be played, and what it does to the figure as a whole. */
export interface Motion {
  clip: AnimationClip;
  /** The package's own, not one that ships. */
  own: boolean;
  /** How far it leads the hips from its first moment to its last, metres. */
  drift: Vector3;
  /** Lowest that the soles come over it, metres over the ground; null where nobody can tell. */
  lowest: number | null;
}

const FRAMES_PER_SECOND = 24,
  MOMENTS = 24;

/** The motions that ship, brought onto a figure through its roles; none where it has no hips. */
export function shippedMotions(puppet: Puppet): AnimationClip[] {
  if (!puppet.roles.has('hips')) return [];
  const { clips } = retarget(sampleMotions(), puppet.skeleton, puppet.roles);
  return clips.map((clip) => baked(puppet, clip));
}

/** Keys of every joint from global matrices: turns of all that turn, places of the hips alone. */
function baked(
  { skeleton, bones, roles, root }: Puppet,
  clip: { name: string; seconds: number; at(time: number): Float64Array },
): AnimationClip {
  root.updateMatrixWorld(true);
  const count = Math.max(2, Math.round(clip.seconds * FRAMES_PER_SECOND) + 1),
    times = Float32Array.from({ length: count }, (_, f) => (clip.seconds * f) / (count - 1)),
    hips = roles.get('hips'),
    turns = bones.map(() => new Float32Array(count * 4)),
    places = new Float32Array(count * 3);
  const parents = bones.map((bone) => parentOf(bone, bones)),
    own = new Matrix4(),
    above = new Matrix4(),
    at = new Vector3(),
    turn = new Quaternion(),
    size = new Vector3();
  for (let f = 0; f < count; f++) {
    const posed = clip.at(times[f]);
    for (let j = 0; j < skeleton.joints.length; j++) {
      const { joint, rest } = parents[j];
      if (joint < 0) above.copy(rest);
      else above.fromArray(posed, joint * 16).multiply(rest);
      own.fromArray(posed, j * 16).premultiply(above.invert());
      own.decompose(at, turn, size);
      turn.toArray(turns[j], f * 4);
      if (j === hips) at.toArray(places, f * 3);
    }
  }
  const tracks = bones.flatMap((bone, j) => [
    ...(changes(turns[j]) || !isAtRest(turns[j], bone)
      ? [new QuaternionKeyframeTrack(`${bone.name}.quaternion`, times, turns[j])]
      : []),
    ...(j === hips ? [new VectorKeyframeTrack(`${bone.name}.position`, times, places)] : []),
  ]);
  return new AnimationClip(clip.name, clip.seconds, tracks);
}

/** The joint above one, and where what lies between them stands from it. */
function parentOf(bone: Object3D, bones: readonly Object3D[]): { joint: number; rest: Matrix4 } {
  for (let above = bone.parent; above; above = above.parent) {
    const joint = bones.indexOf(above);
    if (joint < 0) continue;
    const rest = above.matrixWorld.clone().invert();
    return { joint, rest: rest.multiply((bone.parent as Object3D).matrixWorld) };
  }
  return { joint: -1, rest: bone.parent ? bone.parent.matrixWorld.clone() : new Matrix4() };
}

function changes(keys: Float32Array): boolean {
  for (let i = 4; i < keys.length; i++) if (Math.abs(keys[i] - keys[i & 3]) > 1e-5) return true;
  return false;
}
const isAtRest = (keys: Float32Array, bone: Object3D): boolean =>
  Math.abs(Math.abs(bone.quaternion.dot(new Quaternion().fromArray(keys))) - 1) < 1e-8;

/** Channels of a clip that find nothing to move. */
export const unboundIn = (clip: AnimationClip, root: Object3D): string[] =>
  clip.tracks
    .map((track) => PropertyBinding.parseTrackName(track.name).nodeName)
    .filter((name) => !PropertyBinding.findNode(root, name));

/**
 * Plays a clip through and looks where it leads the hips and how low the soles come. The figure comes back to rest.
 * @param at what tells where the figure is: its hips
 */
export function measured(
  clip: AnimationClip,
  own: boolean,
  root: Object3D,
  at: Object3D | null,
  soles: Soles | null,
): Motion {
  const mixer = new AnimationMixer(root),
    place = new Vector3(),
    first = new Vector3(),
    drift = new Vector3();
  mixer.clipAction(clip).play();
  let lowest: number | null = null;
  for (let i = 0; i <= MOMENTS; i++) {
    // The very end is the beginning again.
    mixer.setTime((clip.duration * Math.min(i, MOMENTS - 1e-3)) / MOMENTS);
    root.updateMatrixWorld(true);
    if (at) {
      place.setFromMatrixPosition(at.matrixWorld);
      if (i === 0) first.copy(place);
      if (i === MOMENTS) drift.subVectors(place, first);
    }
    const low = soles?.lowest();
    if (low !== undefined && low !== null) lowest = Math.min(lowest ?? Infinity, low);
  }
  mixer.stopAllAction();
  mixer.uncacheRoot(root);
  return { clip, own, drift, lowest };
}

/** How fast somebody goes by a motion, metres a second; a guess by the legs where it stays on the spot. */
export const paceOf = (motion: Motion | undefined, legM: number, onTheSpot: number): number => {
  const far = motion ? Math.hypot(motion.drift.x, motion.drift.z) / motion.clip.duration : 0;
  return far > 0.2 ? far : onTheSpot * Math.max(0.3, legM / 0.9);
};
