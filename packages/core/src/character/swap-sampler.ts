import type { Animation, AnimationChannel, AnimationSampler, Document } from '@gltf-transform/core';

/** Gives a channel another output under the same times; the sampler it had goes where no other channel plays it. */
export function swapSampler(
  document: Document,
  channel: AnimationChannel,
  type: 'SCALAR' | 'VEC3',
  values: Float32Array,
): void {
  const old = channel.getSampler() as AnimationSampler,
    clips = clipsOf(document, channel),
    own = document
      .createAnimationSampler(old.getName())
      .setInput(old.getInput())
      .setInterpolation(old.getInterpolation())
      .setOutput(
        document
          .createAccessor()
          .setType(type)
          .setArray(values as Float32Array<ArrayBuffer>),
      );
  for (const clip of clips) clip.addSampler(own);
  channel.setSampler(own);
  for (const clip of clips) dropUnplayed(clip, old);
}

/** Takes a channel out of its clip, and the sampler that only it played. */
export function dropChannel(document: Document, channel: AnimationChannel): void {
  const sampler = channel.getSampler(),
    clips = clipsOf(document, channel);
  channel.dispose();
  if (sampler) for (const clip of clips) dropUnplayed(clip, sampler);
}

const clipsOf = (document: Document, channel: AnimationChannel): Animation[] =>
  document
    .getRoot()
    .listAnimations()
    .filter((clip) => clip.listChannels().includes(channel));

function dropUnplayed(clip: Animation, sampler: AnimationSampler): void {
  if (!clip.listChannels().some((other) => other.getSampler() === sampler)) clip.removeSampler(sampler);
}
