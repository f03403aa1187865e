import type { BeyondGltf } from '../character/index.ts';
import type { InputFile } from '../formats/index.ts';
import { ProblemError } from '../problem.ts';
import type { MaterialMaps } from '../textures/index.ts';

export interface Manifest {
  schema: 1;
  character: string;
  target: string;
  created: string;
  origin: unknown;
  /** What of materials glTF has no place for, by name, where the target asks for it. */
  materials?: Record<string, BeyondGltf>;
  /** Further qualities of the figure, each a package in a folder of its own. */
  grades?: { id: string; title: string; folder: string }[];
  /** Where the package holds several: which file is which part, and which level of detail. */
  models?: { path: string; level: number; fromM?: number; part?: string; inside?: true }[];
  /** Maps beside the model, material by material, where the target asks for them. */
  maps?: MaterialMaps[];
  files: { path: string; bytes: number; sha256: string }[];
}

/** All files of a delivery, with a list of their sizes and hashes. @throws ProblemError package.files-collide */
export function sealPackage(
  files: readonly InputFile[],
  manifest: Omit<Manifest, 'files'>,
  hash: (bytes: Uint8Array) => string,
): { files: InputFile[]; manifest: Manifest } {
  const taken = new Set<string>();
  for (const { path } of files) {
    // Some disks know no capitals.
    if (taken.has(path.toLowerCase()))
      throw new ProblemError(
        'package.files-collide',
        `Two files of the package would be called “${path}”. Give folders, grades or files other names in the target.`,
        path,
      );
    taken.add(path.toLowerCase());
  }
  const full: Manifest = {
    ...manifest,
    files: files.map((file) => ({ path: file.path, bytes: file.bytes.length, sha256: hash(file.bytes) })),
  };
  const all = [...files, { path: 'manifest.json', bytes: new TextEncoder().encode(JSON.stringify(full, null, 2)) }];
  return { files: all, manifest: full };
}
