/** A file as it arrived: path with forward slashes, relative to what was dropped. */
export interface InputFile {
  path: string;
  bytes: Uint8Array;
}

export const baseName = (path: string): string => path.slice(path.lastIndexOf('/') + 1);
export const folderOf = (path: string): string => path.slice(0, path.lastIndexOf('/') + 1);
export const extensionOf = (path: string): string => /\.([^./]+)$/.exec(path)?.[1].toLowerCase() ?? '';

/**
 * The path that `reference` means when said in a file in `folder`: percent-escapes decoded, `.` and `..` folded.
 * @returns null where it would climb out of what was dropped, or is no file path at all
 */
export function resolvePath(folder: string, reference: string): string | null {
  if (/^[a-z][a-z0-9+.-]*:/i.test(reference) || reference.startsWith('/')) return null;
  let text = reference.replace(/\\/g, '/');
  try {
    text = decodeURIComponent(text);
  } catch {
    /* a stray % is part of the name */
  }
  const out: string[] = [];
  for (const piece of (folder + text).split('/')) {
    if (piece === '' || piece === '.') continue;
    if (piece === '..') {
      if (!out.length) return null;
      out.pop();
    } else out.push(piece);
  }
  return out.join('/');
}

/** Finds a referenced file: at its path, then in any folder by the same name, then without regard to case. */
export function findFile(
  files: readonly InputFile[],
  folder: string,
  reference: string,
): { file: InputFile; exact: boolean } | null {
  const path = resolvePath(folder, reference);
  const exact = path === null ? undefined : files.find((file) => file.path === path);
  if (exact) return { file: exact, exact: true };
  const name = baseName(path ?? reference.replace(/\\/g, '/'));
  const named =
    files.find((file) => baseName(file.path) === name) ??
    files.find((file) => baseName(file.path).toLowerCase() === name.toLowerCase());
  return named ? { file: named, exact: false } : null;
}
