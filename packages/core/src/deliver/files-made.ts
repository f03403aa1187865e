import { type InputFile, openArchive } from '../formats/index.ts';
import type { StepStore } from '../recipe/index.ts';
import type { Conversion } from './conversion.ts';

/** The files of a package: as they were made just now, or out of the archive that a store kept of an earlier run of the same. */
export async function filesMade(
  { made, kept }: Pick<Conversion, 'made' | 'kept'>,
  store: StepStore | undefined,
): Promise<InputFile[]> {
  if (made) return made;
  const hash = kept?.archive.sha256 ?? '',
    bytes = (await store?.piece([hash]))?.get(hash);
  if (!bytes) throw new Error(`the archive ${hash} of a package is not in the store`);
  return openArchive(bytes, 'package.zip');
}
