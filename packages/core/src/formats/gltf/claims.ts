import type { GLTF } from '@gltf-transform/core';
import { ProblemError } from '../../problem.ts';

const COMPONENT_BYTES: Record<number, number> = { 5120: 1, 5121: 1, 5122: 2, 5123: 2, 5125: 4, 5126: 4 };
const COMPONENTS: Record<string, number> = { SCALAR: 1, VEC2: 2, VEC3: 3, VEC4: 4, MAT2: 4, MAT3: 9, MAT4: 16 };
/** What arrays may come to whatever the file's size, and how many times its size beyond that: sparse morphs of a whole cast stay far below. */
const FREE_BYTES = 256 * 1024 ** 2,
  TIMES = 60;

/**
 * Weighs what all arrays of a file together come to before any is made: sparse and empty ones cost a file nothing, and
 * views may be claimed many times over.
 * @param fileBytes size of the model and its buffers
 * @throws ProblemError gltf.too-large
 */
export function weighClaims({ accessors = [] }: GLTF.IGLTF, fileBytes: number, path: string): void {
  const claimed = accessors.reduce(
      (sum, accessor) =>
        sum + accessor.count * (COMPONENT_BYTES[accessor.componentType] ?? 4) * (COMPONENTS[accessor.type] ?? 1),
      0,
    ),
    most = FREE_BYTES + TIMES * fileBytes;
  if (claimed > most)
    throw new ProblemError(
      'gltf.too-large',
      `“${path}” has ${megabytes(fileBytes)} MB and claims arrays of ${megabytes(claimed)} MB, more than a character needs. It was not opened; export it without what isn't used.`,
      path,
    );
}

const megabytes = (bytes: number): string => (bytes / 1048576).toFixed(1);
