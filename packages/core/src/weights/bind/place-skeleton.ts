import type { Document } from '@gltf-transform/core';
import type { Skeleton } from '../../character/index.ts';
import { compose, decompose, invertAffine, multiply, rotationOf } from '../../geometry/index.ts';
import { sampleClips, writeClip } from '../../rig/index.ts';
import type { SkeletonFit } from '../fit-skeleton.ts';

/** Joints go where the fit says, without scale; clips follow. */
export function placeSkeleton(document: Document, skeleton: Skeleton, fit: SkeletonFit): void {
  const before = new Set(skeleton.joints),
    clips = sampleClips(document, before),
    unscaled = new Float64Array(fit.global.length),
    m = new Float64Array(16),
    inverse = new Float64Array(16),
    local = new Float64Array(16);
  for (let o = 0; o < unscaled.length; o += 16)
    compose(
      unscaled,
      o,
      [fit.global[o + 12], fit.global[o + 13], fit.global[o + 14]],
      rotationOf(fit.global, o),
      [1, 1, 1],
    );
  // What took the skeleton there, root first: clips go the same way.
  invertAffine(inverse, 0, skeleton.global, 0);
  multiply(m, 0, fit.global, 0, inverse, 0);
  skeleton.joints.forEach((joint, j) => {
    if (skeleton.parent[j] >= 0) {
      invertAffine(inverse, 0, unscaled, skeleton.parent[j] * 16);
      multiply(local, 0, inverse, 0, unscaled, j * 16);
      skeleton.joints[skeleton.parent[j]].addChild(joint);
    } else {
      local.set(unscaled.subarray(j * 16, j * 16 + 16));
      const above = joint.getParentNode();
      if (above) {
        above.removeChild(joint);
        document.getRoot().listScenes()[0]?.addChild(joint);
      }
    }
    const { translation, rotation } = decompose(local);
    joint.setTranslation(translation).setRotation(rotation).setScale([1, 1, 1]);
  });
  const out = new Float64Array(16);
  for (const sampled of clips) {
    const tracks = skeleton.joints.map((joint) => sampled.global(joint));
    writeClip(
      document,
      sampled,
      before,
      skeleton.joints.map((node, j) => ({ node, parent: skeleton.parent[j] })),
      (j, time, own) => {
        multiply(out, 0, m, 0, tracks[j], time * 16);
        compose(own, 0, [out[12], out[13], out[14]], rotationOf(out), [1, 1, 1]);
        return true;
      },
    );
  }
}
