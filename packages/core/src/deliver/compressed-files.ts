import type { Document } from '@gltf-transform/core';
import { copyDocument } from '../character/index.ts';
import { type InputFile, quantise, quantiseWeights, writeGlb, writeGltfFiles, writePacked } from '../formats/index.ts';
import type { Compression } from '../targets/index.ts';
import { pruneUnused } from './prune.ts';
import { markSparseMorphs } from './sparse-morphs.ts';
import { tidySlots } from './tidy-slots.ts';

/** glTF with its arrays as a target wants them stored; the document stays as it is. */
export async function compressedFiles(
  document: Document,
  name: string,
  format: 'glb' | 'gltf',
  compression: Exclude<Compression, 'none'>,
): Promise<InputFile[]> {
  const own = copyDocument(document),
    single = format === 'glb';
  if (compression === 'draco') quantiseWeights(own);
  else await quantise(own);
  // Weights too small for a whole number are none now.
  tidySlots(own);
  pruneUnused(own);
  if (compression !== 'quantised') return writePacked(own, compression, name, single);
  // Whole numbers came in the place of arrays that were marked.
  markSparseMorphs(own);
  return single ? [{ path: `${name}.glb`, bytes: await writeGlb(own) }] : writeGltfFiles(own, name);
}
