import type { Document } from '@gltf-transform/core';
import { skeletonOf } from '../character/index.ts';
import { bvhOrder, type InputFile, writeBvh } from '../formats/index.ts';
import { sampleClips } from '../rig/index.ts';
import { namesBy } from '../targets/index.ts';

/** Frames of a second. */
const RATE = 30;

/** A skeleton as BVH: at rest, and in every clip that moves it, each a file of its own. */
export interface BvhFile extends InputFile {
  /** Global matrices of all joints in each frame, 16 a joint, in the file's order: what it says, for whoever reads it again. */
  frames: readonly Float64Array[];
}

/** Joints and motion for whoever reads neither from the model: rest alone where no clip moves them; centimetres, Y up, 30 frames a second. */
export function bvhFiles(document: Document, name: string): BvhFile[] {
  const skeleton = skeletonOf(document);
  if (!skeleton.joints.length) return [];
  const clips = sampleClips(document, new Set(skeleton.joints), 1 / RATE),
    stems = namesBy(
      '{name}',
      clips.map(({ clip }) => ({ name: clip.getName() || 'clip' })),
      { character: '', target: '' },
      { files: true },
    ).names,
    order = bvhOrder(skeleton),
    written = (path: string, frames: readonly Float64Array[]): BvhFile => ({
      path,
      bytes: writeBvh(document, { frames, frameSeconds: 1 / RATE }) as Uint8Array<ArrayBuffer>,
      frames: frames.map((frame) => {
        const out = new Float64Array(frame.length);
        order.forEach((j, i) => out.set(frame.subarray(j * 16, j * 16 + 16), i * 16));
        return out;
      }),
    });
  return [
    written(`${name}.bvh`, [skeleton.global]),
    ...clips.map(({ times, global }, i) => {
      const all = skeleton.joints.map((joint) => global(joint)),
        frames = Array.from(times, (_, f) => {
          const out = new Float64Array(all.length * 16);
          all.forEach((matrices, j) => out.set(matrices.subarray(f * 16, f * 16 + 16), j * 16));
          return out;
        });
      return written(`${name}_${stems[i]}.bvh`, frames);
    }),
  ];
}
