import { unzipSync, zipSync, type Zippable } from 'fflate';
import { ProblemError } from '../../problem.ts';
import type { InputFile } from '../files.ts';

export interface ArchiveLimits {
  /** Most entries, default 20,000. */
  entries: number;
  /** Most bytes of all entries together once opened, default 2 GiB. */
  totalBytes: number;
  /** Most times an entry over 1 MiB may grow, default 200. */
  ratio: number;
}
export const ARCHIVE_LIMITS: Readonly<ArchiveLimits> = Object.freeze({
  entries: 20_000,
  totalBytes: 2 * 1024 ** 3,
  ratio: 200,
});

/**
 * Opens a ZIP archive within limits. Sizes are checked against the directory before anything is opened, and the
 * opener never writes past the size the directory states, so a lying directory can't exhaust memory either.
 * @throws ProblemError archive.*
 */
export function openArchive(bytes: Uint8Array, name: string, limits: ArchiveLimits = ARCHIVE_LIMITS): InputFile[] {
  let entries = 0;
  let total = 0,
    packed = 0;
  try {
    const opened = unzipSync(bytes, {
      filter(entry) {
        if (entry.name.endsWith('/') || /(^|\/)(__MACOSX|\.DS_Store|Thumbs\.db)/.test(entry.name)) return false;
        if (++entries > limits.entries)
          throw new ProblemError(
            'archive.too-many-entries',
            `The archive holds more than ${limits.entries} files. Send the character's own files only.`,
            name,
          );
        safePath(entry.name, name);
        total += entry.originalSize;
        if (total > limits.totalBytes)
          throw new ProblemError(
            'archive.too-large',
            `The archive would open to more than ${Math.round(limits.totalBytes / 1048576)} MB. Leave out what the character doesn't need.`,
            name,
          );
        // Entries may share their bytes, so that a small archive opens to anything: together they can't be larger than it is.
        packed += entry.size;
        if (packed > bytes.length)
          throw new ProblemError(
            'archive.overlap',
            'The archive says that its files lie on top of each other. It was not opened; pack it again.',
            name,
          );
        if (entry.originalSize > 1_048_576 && entry.originalSize > entry.size * limits.ratio) {
          throw new ProblemError(
            'archive.ratio',
            `“${entry.name}” would grow ${Math.round(entry.originalSize / Math.max(1, entry.size))} times on opening, more than the ${limits.ratio} allowed. It was not opened.`,
            name,
          );
        }
        return true;
      },
    });
    return Object.entries(opened).map(([path, content]) => ({ path: safePath(path, name), bytes: content }));
  } catch (error) {
    if (error instanceof ProblemError) throw error;
    throw new ProblemError(
      'archive.broken',
      'The archive is damaged or not a ZIP archive. Pack it again and send it once more.',
      name,
    );
  }
}

function safePath(path: string, archive: string): string {
  const clean = path.replace(/\\/g, '/');
  if (clean.startsWith('/') || /^[a-z]:/i.test(clean) || clean.split('/').includes('..') || clean.includes('\0')) {
    throw new ProblemError(
      'archive.path',
      `“${path}” would be written outside the archive's own folder. The archive was refused.`,
      archive,
    );
  }
  return clean;
}

/** Writes a ZIP with a fixed date, so that the same files give the same bytes. Models and images are stored as they are. */
export function writeArchive(files: readonly InputFile[]): Uint8Array {
  const content: Zippable = {};
  for (const file of files) {
    const packed = /\.(png|jpe?g|webp|ktx2|glb|zip)$/i.test(file.path);
    content[file.path] = [file.bytes, { level: packed ? 0 : 6, mtime: '1980-01-02T00:00:00Z' }];
  }
  return zipSync(content);
}

/**
 * A ZIP whose files are stored, each beginning on a boundary, as packed USD asks (readers map them in place). The gap
 * before a file is filled by an extra field of its header.
 */
export function writeAlignedArchive(files: readonly InputFile[], boundary = 64): Uint8Array {
  const content: Zippable = {};
  let size = 0;
  for (const file of files) {
    // Header of 30 bytes, the name, and the extra field with a head of four.
    const head = size + 30 + new TextEncoder().encode(file.path).length + 4,
      gap = (boundary - (head % boundary)) % boundary;
    content[file.path] = [
      file.bytes,
      { level: 0, mtime: '1980-01-02T00:00:00Z', extra: { 0x1986: new Uint8Array(gap) } },
    ];
    size = head + gap + file.bytes.length;
  }
  return zipSync(content);
}

export const isArchive = (bytes: Uint8Array): boolean =>
  bytes.length > 3 &&
  bytes[0] === 0x50 &&
  bytes[1] === 0x4b &&
  (bytes[2] === 3 || bytes[2] === 5) &&
  (bytes[3] === 4 || bytes[3] === 6);
