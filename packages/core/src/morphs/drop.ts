import type { Document } from '@gltf-transform/core';
import { floatsOf, morphNamesOf } from '../character/index.ts';
import { kept, nodesOf, rewriteMorphs, weightChannels } from './rewrite.ts';

/** Takes morphs out, everywhere. @returns clips that played one of them and no longer do */
export function dropMorphs(document: Document, names: ReadonlySet<string>): string[] {
  const clips = new Set<string>();
  if (!names.size) return [];
  for (const mesh of document.getRoot().listMeshes()) {
    const own = morphNamesOf(mesh);
    if (!own.some((name) => names.has(name))) continue;
    for (const node of nodesOf(mesh))
      for (const { sampler, clip } of weightChannels(document, node)) {
        const output = sampler.getOutput();
        if (output && floatsOf(output).some((value, k) => value !== 0 && names.has(own[k % own.length])))
          clips.add(clip);
      }
    rewriteMorphs(
      document,
      mesh,
      own.flatMap((name, i) => (names.has(name) ? [] : [kept(name, i)])),
    );
  }
  return [...clips];
}
