import { ProblemError } from '../problem.ts';
import { ARCHIVE_LIMITS, type ArchiveLimits } from './archive/archive.ts';
import { baseName, extensionOf, folderOf, type InputFile } from './files.ts';
import { modelsIn, type ReadHelp, type ReadResult, readOpened, unpack } from './read.ts';

/** Files of one character, and which of them is its model; without one, what arrived is one character anyway. */
export interface ArrivedCharacter {
  main?: string;
  files: InputFile[];
}

/** Formats that hold a whole figure; the first is taken where one figure comes in several. */
const WHOLE = ['glb', 'vrm', 'gltf', 'usd', 'usdc', 'usda', 'dae', 'xml'];
const stem = (path: string): string =>
  baseName(path)
    .replace(/\.[^.]+$/, '')
    .toLowerCase();

/**
 * Tells how many characters arrived. Models of one name are one figure in several formats; models that carry a figure
 * each, or lie in folders of their own, are figures of their own; pieces in one folder stay together. Files beside or
 * below a model go with it, files in no model's folder with every one.
 */
export function splitArrival(
  arrived: readonly InputFile[],
  limits: ArchiveLimits = ARCHIVE_LIMITS,
): ArrivedCharacter[] {
  const files = unpack(arrived, limits),
    models = modelsIn(files).filter((file) => extensionOf(file.path) !== 'bvh');
  const figures = new Map<string, InputFile>();
  for (const model of [...models].sort((a, b) => rank(a) - rank(b) || (a.path < b.path ? -1 : 1))) {
    const ext = extensionOf(model.path),
      key = WHOLE.includes(ext) ? stem(model.path) : `folder ${folderOf(model.path)}`;
    const twin = figures.get(key);
    // The same name in the same format in another folder is another figure (“scene.gltf” of each).
    if (twin && extensionOf(twin.path) === ext && folderOf(twin.path) !== folderOf(model.path))
      figures.set(`${folderOf(model.path)} ${key}`, model);
    else if (!twin) figures.set(key, model);
  }
  const mains = [...figures.values()].sort((a, b) => (a.path < b.path ? -1 : 1));
  if (mains.length < 2) return [{ files }];
  const folders = new Set(mains.map((main) => folderOf(main.path))),
    taken = new Set(models.map((model) => model.path));
  const home = (path: string): string | null => {
    for (let folder = folderOf(path); ; folder = folderOf(folder.slice(0, -1))) {
      if (folders.has(folder)) return folder;
      if (!folder) return null;
    }
  };
  return mains.map((main) => ({
    main: main.path,
    files: files.filter(
      (file) =>
        file === main ||
        (!taken.has(file.path) && (home(file.path) ?? folderOf(main.path)) === folderOf(main.path)) ||
        (rank(file) === rank(main) && /^usd/.test(extensionOf(file.path))),
    ),
  }));
}
const rank = (file: InputFile): number => {
  const at = WHOLE.indexOf(extensionOf(file.path));
  return at < 0 ? WHOLE.length : at;
};

export interface ReadAll {
  characters: ReadResult[] /** What could not be read, where others could. */;
  failed: { path: string; message: string }[];
}

/** Reads every character of what arrived. @throws ProblemError where none can be read */
export async function readCharacters(
  arrived: readonly InputFile[],
  limits: ArchiveLimits = ARCHIVE_LIMITS,
  help: ReadHelp = {},
): Promise<ReadAll> {
  const out: ReadAll = { characters: [], failed: [] };
  let first: unknown;
  for (const { main, files } of splitArrival(arrived, limits)) {
    try {
      out.characters.push(await readOpened(files, { ...help, main }));
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      first ??= error;
      out.failed.push({ path: main ?? files[0]?.path ?? '', message: error.message });
    }
  }
  if (!out.characters.length) throw first;
  return out;
}
