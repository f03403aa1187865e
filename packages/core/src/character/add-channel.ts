import type { Accessor, Animation, Document, GLTF, Node } from '@gltf-transform/core';

type Path = 'translation' | 'rotation' | 'scale' | 'weights';
const TYPES: Readonly<Record<Path, GLTF.AccessorType>> = {
  translation: 'VEC3',
  rotation: 'VEC4',
  scale: 'VEC3',
  weights: 'SCALAR',
};

/** Lets a clip move one thing of a node. @param input times, seconds @param values one after the other, as many for each time as the path takes */
export function addChannel(
  document: Document,
  clip: Animation,
  node: Node,
  path: Path,
  input: Accessor,
  values: Float32Array<ArrayBuffer>,
  interpolation: GLTF.AnimationSamplerInterpolation = 'LINEAR',
): void {
  const sampler = document
    .createAnimationSampler()
    .setInput(input)
    .setOutput(document.createAccessor().setType(TYPES[path]).setArray(values))
    .setInterpolation(interpolation);
  clip
    .addSampler(sampler)
    .addChannel(document.createAnimationChannel().setTargetNode(node).setTargetPath(path).setSampler(sampler));
}
