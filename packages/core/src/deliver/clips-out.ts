import type { Animation, Document } from '@gltf-transform/core';
import { addChannel, freeName, globalMatrix, type Skeleton, skeletonOf } from '../character/index.ts';
import { invertAffine, multiply, type Quat, rotationOf } from '../geometry/index.ts';
import type { Finding } from '../problem.ts';
import { jointRoles, POSE_SECONDS, rangeOfMotionAt, RANGE_SECONDS, roleIndex } from '../rig/index.ts';
import type { ClipsWanted } from '../targets/index.ts';

/** Keys for each pose of the range of motion: the way there and back is a squared sine, which eight lines follow. */
const KEYS = 8;
/** A turn that changes by less than this, as a quaternion, is none. */
const STILL = 1e-5;

/** Lets the clips go out that a target asks for, and makes those that it wants made. @returns what there is to say */
export function clipsOut(document: Document, { keep, rest, rangeOfMotion }: ClipsWanted): Finding[] {
  const findings = keep === 'all' ? [] : leaveOut(document, keep),
    skeleton = skeletonOf(document);
  if (!skeleton.joints.length || !(rest || rangeOfMotion)) return findings;
  const taken = new Set(
      document
        .getRoot()
        .listAnimations()
        .map((clip) => clip.getName()),
    ),
    clipCalled = (name: string) => {
      const own = freeName(name, taken);
      taken.add(own);
      return document.createAnimation(own);
    };
  if (rest) restClip(document, clipCalled('Rest pose'), skeleton);
  if (rangeOfMotion) rangeClip(document, clipCalled('Range of motion'), skeleton);
  return findings;
}

function leaveOut(document: Document, keep: 'none' | readonly string[]): Finding[] {
  const wanted = new Set(keep === 'none' ? [] : keep.map((name) => name.toLowerCase())),
    clips = document.getRoot().listAnimations(),
    there = new Set(clips.map((clip) => clip.getName().toLowerCase())),
    missing = keep === 'none' ? [] : keep.filter((name) => !there.has(name.toLowerCase())),
    out = clips.filter((clip) => !wanted.has(clip.getName().toLowerCase())),
    listed = (names: readonly string[]) => names.map((name) => `“${name}”`).join(', ');
  for (const clip of out) clip.dispose();
  return [
    ...(out.length
      ? [
          {
            code: 'package.clips-left-out',
            severity: 'info' as const,
            message: `${listed(out.map((clip) => clip.getName()))} ${out.length === 1 ? 'is' : 'are'} not delivered: the target asks for ${keep === 'none' ? 'no clips' : listed(keep as readonly string[])}.`,
            measured: out.length,
          },
        ]
      : []),
    ...(missing.length
      ? [
          {
            code: 'package.clips-missing',
            severity: 'warning' as const,
            message: `The target asks for ${listed(missing)}, which this character hasn't got. Put the motion on it at Motion, or take the name out of the target.`,
            measured: missing.length,
            limit: 0,
          },
        ]
      : []),
  ];
}

/** Every joint where it stands, as one key. */
function restClip(document: Document, clip: Animation, { joints }: Skeleton): void {
  const times = document.createAccessor().setType('SCALAR').setArray(Float32Array.of(0));
  for (const joint of joints) {
    addChannel(document, clip, joint, 'rotation', times, Float32Array.from(joint.getRotation()));
    addChannel(document, clip, joint, 'translation', times, Float32Array.from(joint.getTranslation()));
  }
}

/** The range of motion as turns of the joints that take part. */
function rangeClip(document: Document, clip: Animation, skeleton: Skeleton): void {
  const roles = roleIndex(jointRoles(document, skeleton)),
    count = Math.round(RANGE_SECONDS / POSE_SECONDS) * KEYS + 1,
    times = Float32Array.from({ length: count }, (_, i) => (i * POSE_SECONDS) / KEYS),
    turns = skeleton.joints.map(() => new Float32Array(count * 4)),
    above = skeleton.joints.map((joint, j) => {
      const parent = skeleton.parent[j] < 0 ? joint.getParentNode() : null;
      return parent ? globalMatrix(parent) : null;
    }),
    local = new Float64Array(16),
    inverse = new Float64Array(16);
  for (let i = 0; i < count; i++) {
    // Between two poses the figure stands at rest: there the one ends and the next begins.
    const global = i % KEYS ? rangeOfMotionAt(skeleton, roles, (i * POSE_SECONDS) / KEYS) : skeleton.global;
    skeleton.joints.forEach((_, j) => {
      const parent = skeleton.parent[j],
        over = parent < 0 ? above[j] : global,
        at = parent < 0 ? 0 : parent * 16;
      if (over) {
        invertAffine(inverse, 0, over, at);
        multiply(local, 0, inverse, 0, global, j * 16);
      } else local.set(global.subarray(j * 16, j * 16 + 16));
      turns[j].set(beside(rotationOf(local, 0), turns[j].subarray(Math.max(0, i - 1) * 4)), i * 4);
    });
  }
  const input = document.createAccessor().setType('SCALAR').setArray(times);
  skeleton.joints.forEach((joint, j) => {
    if (turns[j].some((x, k) => Math.abs(x - turns[j][k % 4]) > STILL))
      addChannel(document, clip, joint, 'rotation', input, turns[j]);
  });
}

/** Of the two quaternions that are one turn, the one on the side of the key before. */
function beside(q: Quat, before: Float32Array): Quat {
  const dot = q[0] * before[0] + q[1] * before[1] + q[2] * before[2] + q[3] * before[3];
  return dot < 0 ? [-q[0], -q[1], -q[2], -q[3]] : q;
}
