import type { Document } from '@gltf-transform/core';
import { morphNamesOf } from '../character/index.ts';
import { clipsPlaying, kept, rewriteMorphs } from './rewrite.ts';

/** Takes morphs out, everywhere. @returns clips that played one of them and no longer do */
export function dropMorphs(document: Document, names: ReadonlySet<string>): string[] {
  const clips = new Set<string>();
  if (!names.size) return [];
  for (const mesh of document.getRoot().listMeshes()) {
    const own = morphNamesOf(mesh);
    if (!own.some((name) => names.has(name))) continue;
    for (const clip of clipsPlaying(document, mesh, names)) clips.add(clip);
    rewriteMorphs(
      document,
      mesh,
      own.flatMap((name, i) => (names.has(name) ? [] : [kept(name, i)])),
    );
  }
  return [...clips];
}
