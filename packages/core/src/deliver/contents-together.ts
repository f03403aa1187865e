import type { Contents } from '../inspect/index.ts';
import { textureMemory } from '../pixels/index.ts';

/** What the files of several parts are made of together: parts and clips of all, what they share once. Joints are the first's. */
export function contentsTogether(all: readonly Contents[]): Contents {
  const once = <T>(lists: readonly (readonly T[])[], by: (one: T) => string): T[] => [
      ...new Map(lists.flat().map((one) => [by(one), one])).values(),
    ],
    sum = (of: (one: Contents) => number) => all.reduce((total, one) => total + of(one), 0),
    textures = once(
      all.map((one) => one.textures),
      ({ name }) => name,
    );
  return {
    ...all[0],
    triangles: sum(({ triangles }) => triangles),
    vertices: sum(({ vertices }) => vertices),
    parts: all.flatMap(({ parts }) => parts),
    influencesMax: Math.max(...all.map(({ influencesMax }) => influencesMax)),
    materials: once(
      all.map(({ materials }) => materials),
      ({ name }) => name,
    ),
    textures,
    textureMemoryBytes: textures.reduce((total, one) => total + textureMemory(one), 0),
    morphTargets: [...new Set(all.flatMap(({ morphTargets }) => morphTargets))],
    clips: all.flatMap(({ clips }) => clips),
  };
}
