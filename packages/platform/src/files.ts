import { mkdir, readdir, readFile, rename, rm, stat, writeFile } from 'node:fs/promises';
import { basename, dirname, join, relative, sep } from 'node:path';
import { ProblemError, type InputFile } from '@dimetra/core';

/** What is beside a model is read with it only up to this much, so that a model in a crowded folder still opens. */
const MOST_BESIDE_BYTES = 2 * 1024 ** 3;
const BESIDE = /\.(bin|png|jpe?g|webp|ktx2|tga|tiff?|bmp|mtl)$/i,
  LAYERS = /\.usd[acz]?$/i;

/** Models whose files name others beside them. */
const REFERS = /\.(gltf|obj|dae|usd[ac]?)$/i;

/** Reads a file, a folder or an archive from disk; a model that refers to others brings what lies beside and below it. */
export async function readInput(path: string): Promise<InputFile[]> {
  let info: Awaited<ReturnType<typeof stat>>;
  try {
    info = await stat(path);
  } catch {
    throw new ProblemError('intake.no-file', `“${path}” doesn't exist or can't be read.`, path);
  }
  if (info.isDirectory()) return readFolder(path, () => true);
  const main = { path: basename(path), bytes: new Uint8Array(await readFile(path)) };
  if (!REFERS.test(path)) return [main];
  return [
    main,
    ...(await readFolder(
      dirname(path),
      (name) => name !== basename(path) && (BESIDE.test(name) || (LAYERS.test(path) && LAYERS.test(name))),
    )),
  ];
}

async function readFolder(folder: string, wanted: (name: string) => boolean): Promise<InputFile[]> {
  const out: InputFile[] = [];
  let total = 0;
  const entries = await readdir(folder, { recursive: true, withFileTypes: true });
  entries.sort((a, b) => join(a.parentPath, a.name).localeCompare(join(b.parentPath, b.name)));
  for (const entry of entries) {
    if (!entry.isFile() || !wanted(entry.name) || entry.name.startsWith('.')) continue;
    const full = join(entry.parentPath, entry.name);
    total += (await stat(full)).size;
    if (total > MOST_BESIDE_BYTES)
      throw new ProblemError(
        'intake.folder-too-large',
        `“${folder}” holds more than ${MOST_BESIDE_BYTES / 1048576} MB. Give the model's own folder.`,
        folder,
      );
    out.push({ path: relative(folder, full).split(sep).join('/'), bytes: new Uint8Array(await readFile(full)) });
  }
  return out;
}

/** Writes files into a folder; each appears whole or not at all. @throws ProblemError output.* */
export async function writeOutput(folder: string, files: readonly InputFile[]): Promise<void> {
  for (const file of files) {
    const path = join(folder, file.path);
    try {
      await mkdir(dirname(path), { recursive: true });
      await writeFile(`${path}.part`, file.bytes);
      await rename(`${path}.part`, path);
    } catch (error) {
      const { code } = error as NodeJS.ErrnoException;
      // What was half written takes the space that is wanted.
      await rm(`${path}.part`, { force: true }).catch(() => {});
      throw new ProblemError(
        code === 'ENOSPC' ? 'output.disk-full' : 'output.not-written',
        code === 'ENOSPC'
          ? `There is no space left to write “${path}”. Free some and run it again.`
          : `“${path}” can't be written: ${(error as Error).message}.`,
        path,
      );
    }
  }
}
