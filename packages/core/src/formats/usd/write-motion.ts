import type { Document } from '@gltf-transform/core';
import { floatsOf, morphNamesOf, type Skeleton } from '../../character/index.ts';
import { newAttribute, newPrim, type UsdPrim } from './layer.ts';
import { called, set } from './write-prims.ts';

/** A clip: every joint at every time that one of them has a key, and what morphs play. @param rate frames per second that times are counted in */
export function motionOf(
  clip: Clip,
  name: string,
  skeleton: Skeleton,
  paths: readonly string[],
  rate: number,
): UsdPrim {
  const prim = called(newPrim(name, 'def', 'SkelAnimation'), clip.getName()),
    all = new Set<number>();
  const channels = clip.listChannels().filter((channel) => skeleton.joints.includes(channel.getTargetNode() as never));
  for (const channel of channels)
    for (const time of floatsOf(channel.getSampler()?.getInput() as never))
      all.add(Math.round(time * rate * 1e4) / 1e4);
  const times = [...all].sort((a, b) => a - b);
  set(prim, 'joints', 'token[]', [...paths], true);
  for (const [property, target, width, type] of [
    ['translations', 'translation', 3, 'float3'],
    ['rotations', 'rotation', 4, 'quatf'],
    ['scales', 'scale', 3, 'half3'],
  ] as const) {
    const attribute = newAttribute(type, true);
    const of = new Map(
      channels
        .filter((channel) => channel.getTargetPath() === target)
        .map((channel) => [skeleton.joints.indexOf(channel.getTargetNode() as never), channel.getSampler()]),
    );
    attribute.samples = {
      times,
      values: times.map((time) => {
        const out = new Float32Array(skeleton.joints.length * width);
        skeleton.joints.forEach((joint, j) => {
          const sampler = of.get(j);
          out.set(
            sampler
              ? at(floatsOf(sampler.getInput() as never), floatsOf(sampler.getOutput() as never), width, time / rate)
              : target === 'translation'
                ? joint.getTranslation()
                : target === 'rotation'
                  ? joint.getRotation()
                  : joint.getScale(),
            j * width,
          );
        });
        return out;
      }),
    };
    prim.attributes.set(property, attribute);
  }
  weightsOf(prim, clip, rate);
  return prim;
}

/** Weights of morphs that a clip plays, by their names; a mesh's own weights where several meshes have one. */
function weightsOf(prim: UsdPrim, clip: Clip, rate: number): void {
  const all = new Set<number>(),
    played = new Map<string, (time: number) => number>();
  for (const channel of clip.listChannels()) {
    const mesh = channel.getTargetPath() === 'weights' && channel.getTargetNode()?.getMesh(),
      sampler = channel.getSampler(),
      [input, output] = [sampler?.getInput(), sampler?.getOutput()];
    if (!mesh || !input || !output) continue;
    const names = morphNamesOf(mesh),
      times = floatsOf(input),
      values = floatsOf(output);
    for (const time of times) all.add(Math.round(time * rate * 1e4) / 1e4);
    names.forEach((name, n) => {
      if (!played.has(name)) played.set(name, (time) => at(times, values, names.length, time)[n]);
    });
  }
  if (!played.size) return;
  const times = [...all].sort((a, b) => a - b),
    attribute = newAttribute('float', true);
  attribute.samples = {
    times,
    values: times.map((time) => Float32Array.from(played.values(), (weight) => weight(time / rate))),
  };
  set(prim, 'blendShapes', 'token[]', [...played.keys()], true);
  prim.attributes.set('blendShapeWeights', attribute);
}
type Clip = ReturnType<ReturnType<Document['getRoot']>['listAnimations']>[number];

/** Linear between keys. */
function at(times: ArrayLike<number>, values: ArrayLike<number>, width: number, time: number): number[] {
  let k = 0;
  while (k + 1 < times.length - 1 && times[k + 1] <= time) k++;
  const next = Math.min(times.length - 1, k + 1),
    t = next === k ? 0 : Math.max(0, Math.min(1, (time - times[k]) / (times[next] - times[k])));
  const out = Array.from({ length: width }, (_, c) => values[k * width + c] * (1 - t) + values[next * width + c] * t);
  const l = width === 4 ? Math.hypot(...out) : 1;
  return out.map((x) => x / (l || 1));
}
