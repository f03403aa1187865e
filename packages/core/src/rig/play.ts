import type { Document } from '@gltf-transform/core';
import { type HumanoidRole, type Skeleton, skeletonOf } from '../character/index.ts';
import { poseSkeleton, RANGE_OF_MOTION } from './poses.ts';
import { sampleClips } from './sample-clips.ts';

/** Seconds that the range of motion takes for one pose, there and back. */
export const POSE_SECONDS = 1.2;
export const RANGE_SECONDS = RANGE_OF_MOTION.length * POSE_SECONDS;

/** The range-of-motion set as one motion of any skeleton whose roles are known: each pose reached and left smoothly. */
export function rangeOfMotionAt(
  skeleton: Skeleton,
  roles: ReadonlyMap<HumanoidRole, number>,
  time: number,
): Float64Array {
  const at = Math.max(0, Math.min(RANGE_SECONDS - 1e-6, time)) / POSE_SECONDS,
    pose = RANGE_OF_MOTION[Math.floor(at)];
  return poseSkeleton(skeleton, roles, pose, Math.sin((at % 1) * Math.PI) ** 2);
}

export interface PlayableClip {
  name: string;
  seconds: number;
  /** Global joint matrices at a time, 16 per joint of the document's skeleton. */
  at(time: number): Float64Array;
}

/** Clips of a document, ready to be shown at any time; between keys the matrices are blended. */
export function playableClips(document: Document): PlayableClip[] {
  const skeleton = skeletonOf(document);
  return sampleClips(document, new Set(skeleton.joints)).map(({ clip, times, interpolation, global }) => {
    const tracks = skeleton.joints.map(global),
      out = new Float64Array(skeleton.joints.length * 16),
      seconds = times.length ? times[times.length - 1] : 0;
    return {
      name: clip.getName(),
      seconds,
      at(time) {
        let next = times.findIndex((key) => key > time);
        if (next < 0) next = times.length;
        const a = Math.max(0, next - 1),
          b = Math.min(times.length - 1, next),
          t = a === b || interpolation === 'STEP' ? 0 : Math.max(0, (time - times[a]) / (times[b] - times[a]));
        tracks.forEach((track, j) => {
          for (let k = 0; k < 16; k++) out[j * 16 + k] = track[a * 16 + k] * (1 - t) + track[b * 16 + k] * t;
        });
        return out;
      },
    };
  });
}
