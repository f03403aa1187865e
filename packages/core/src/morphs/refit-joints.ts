import type { Document } from '@gltf-transform/core';
import {
  createDeformer,
  floatsOf,
  inverseBindsOf,
  readDossier,
  type Skeleton,
  skeletonOf,
  swapSampler,
  updateDossier,
} from '../character/index.ts';
import { invertAffine, multiply } from '../geometry/index.ts';
import { jointShifts, learnJoints } from './joint-stencils.ts';

/** Movements of joints smaller than this are left alone, metres: a face that smiles moves no joint. */
const LEAST = 2e-4;

export interface JointMoved {
  joint: string;
  mm: number;
}

/**
 * Carries out `change`, which moves vertices at rest, and lets the joints follow: each stands among the vertices around it
 * as before. Binds follow, so that nothing moves at rest; clips and the pose the character came in keep what they meant.
 * @returns joints that went somewhere, farthest first
 */
export function withJointsFollowing(document: Document, change: () => void): JointMoved[] {
  if (!document.getRoot().listSkins().length) {
    change();
    return [];
  }
  const { deformer, rest, stencils } = learnJoints(document);
  change();
  const after = createDeformer(document, () => true, false),
    moved = after.evaluate(new Float32Array(after.vertices * 3));
  subtract(moved, rest);
  const shifts = jointShifts(stencils, deformer.skeleton, moved);
  return moveJoints(document, deformer.skeleton, shifts);
}

// Loops over whole arrays stand alone, so that their compiled code outlives the document.
function subtract(from: Float32Array, what: Float32Array): void {
  for (let i = 0; i < from.length; i++) from[i] -= what[i];
}

/** Moves joints in character space, mesh and rotations staying as they are. @param shifts xyz a joint, metres */
export function moveJoints(document: Document, skeleton: Skeleton, shifts: Float64Array): JointMoved[] {
  const told: JointMoved[] = [];
  skeleton.joints.forEach((joint, j) => {
    const far = Math.hypot(shifts[j * 3], shifts[j * 3 + 1], shifts[j * 3 + 2]);
    if (far > LEAST) told.push({ joint: joint.getName(), mm: far * 1000 });
  });
  if (!told.length) return told;
  const before = document
      .getRoot()
      .listSkins()
      .map((skin) => ({ skin, binds: inverseBindsOf(skin) })),
    local = localShifts(skeleton, shifts);
  skeleton.joints.forEach((joint, j) => {
    const [x, y, z] = joint.getTranslation();
    joint.setTranslation([x + local[j * 3], y + local[j * 3 + 1], z + local[j * 3 + 2]]);
  });
  const now = skeletonOf(document),
    inverse = new Float64Array(16),
    posed = new Float64Array(16);
  for (const { skin, binds } of before) {
    const out = new Float32Array(binds.length);
    skin.listJoints().forEach((joint, i) => {
      const j = (skeleton.index.get(joint) ?? 0) * 16;
      // What the joint did to the mesh at rest it goes on doing: P' B' = P B.
      multiply(posed, 0, skeleton.global, j, binds, i * 16);
      invertAffine(inverse, 0, now.global, (now.index.get(joint) ?? 0) * 16);
      const bind = new Float64Array(16);
      multiply(bind, 0, inverse, 0, posed, 0);
      out.set(bind, i * 16);
    });
    skin.setInverseBindMatrices(document.createAccessor().setType('MAT4').setArray(out));
  }
  shiftClips(document, skeleton, local);
  shiftHome(document, skeleton, local);
  return told.sort((a, b) => b.mm - a.mm || (a.joint < b.joint ? -1 : 1));
}

/** Shifts of joints within their parents: what a joint goes beyond its parent, in the parent's axes. */
function localShifts(skeleton: Skeleton, shifts: Float64Array): Float64Array {
  const out = new Float64Array(shifts.length),
    inverse = new Float64Array(16);
  skeleton.joints.forEach((joint, j) => {
    const above = skeleton.parent[j],
      parent = joint.getParentNode(),
      d = [0, 1, 2].map((k) => shifts[j * 3 + k] - (above >= 0 ? shifts[above * 3 + k] : 0));
    if (parent) invertAffine(inverse, 0, Float64Array.from(parent.getWorldMatrix()), 0);
    else inverse.set([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1]);
    for (let k = 0; k < 3; k++) out[j * 3 + k] = inverse[k] * d[0] + inverse[4 + k] * d[1] + inverse[8 + k] * d[2];
  });
  return out;
}

/** Clips that move a joint move it from where it stands now. */
function shiftClips(document: Document, skeleton: Skeleton, local: Float64Array): void {
  for (const clip of document.getRoot().listAnimations())
    for (const channel of clip.listChannels()) {
      const node = channel.getTargetNode(),
        j = node ? skeleton.index.get(node) : undefined,
        sampler = channel.getSampler(),
        output = sampler?.getOutput();
      if (j === undefined || !sampler || !output || channel.getTargetPath() !== 'translation') continue;
      const d = [local[j * 3], local[j * 3 + 1], local[j * 3 + 2]];
      if (!d.some(Boolean)) continue;
      const cubic = sampler.getInterpolation() === 'CUBICSPLINE',
        values = Float32Array.from(floatsOf(output));
      // Of a spline's three rows a key only the middle one is a place; the others are slopes.
      for (let row = 0; row * 3 < values.length; row++)
        if (!cubic || row % 3 === 1) for (let k = 0; k < 3; k++) values[row * 3 + k] += d[k];
      swapSampler(document, channel, 'VEC3', values);
    }
}

/** The pose that the character came in is kept within parents, so that joints have moved by the same there. */
function shiftHome(document: Document, skeleton: Skeleton, local: Float64Array): void {
  const { homePose } = readDossier(document);
  if (!homePose) return;
  const place = new Map(skeleton.joints.map((joint, j) => [joint.getName(), j]));
  updateDossier(document, {
    homePose: Object.fromEntries(
      Object.entries(homePose).map(([name, stand]) => {
        const j = place.get(name);
        return [name, j === undefined ? stand : { ...stand, t: stand.t.map((value, k) => value + local[j * 3 + k]) }];
      }),
    ),
  });
}
