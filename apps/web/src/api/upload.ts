import type { Problem } from '@dimetra/contract';

export interface Arrival {
  path: string;
  file: File;
}

/** Files of a drop with the folders they lay in. */
export async function arrivalsOfDrop(data: DataTransfer): Promise<Arrival[]> {
  const entries = [...data.items]
    .map((item) => item.webkitGetAsEntry?.())
    .filter((entry) => entry !== null && entry !== undefined);
  if (!entries.length) return [...data.files].map((file) => ({ path: file.name, file }));
  const out: Arrival[] = [];
  const walk = async (entry: FileSystemEntry, folder: string): Promise<void> => {
    if (entry.isFile) {
      const file = await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject));
      out.push({ path: folder + entry.name, file });
      return;
    }
    const reader = (entry as FileSystemDirectoryEntry).createReader();
    // A reader gives at most a hundred entries at a time.
    for (;;) {
      const part = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
      if (!part.length) break;
      for (const inner of part) await walk(inner, `${folder}${entry.name}/`);
    }
  };
  for (const entry of entries) await walk(entry, '');
  return out;
}

/** What came in: the first character, the others of the same arrival, and what could not be read. */
export interface CameIn {
  id: string;
  name: string;
  others: { id: string; name: string }[];
  failed: { path: string; message: string }[];
}

/** Sends files as the characters they hold; progress counts bytes. Rejects with the server's sentence. */
export const upload = (
  arrivals: readonly Arrival[],
  progress: (fraction: number) => void,
  signal: AbortSignal,
): Promise<CameIn> => sendFiles('/api/v1/characters', arrivals, progress, signal);

/** Sends files to an address as one form. */
export function sendFiles<T>(
  url: string,
  arrivals: readonly Arrival[],
  progress: (fraction: number) => void = () => {},
  signal?: AbortSignal,
): Promise<T> {
  return new Promise((resolve, reject) => {
    const form = new FormData();
    for (const { path, file } of arrivals) form.append('files', file, path);
    const request = new XMLHttpRequest();
    request.open('POST', url);
    request.upload.onprogress = (event) => {
      if (event.lengthComputable) progress(event.loaded / event.total);
    };
    request.onload = () => {
      let answer: unknown = null;
      try {
        answer = JSON.parse(request.responseText);
      } catch {
        /* said below */
      }
      if (request.status < 300 && answer) resolve(answer as T);
      else
        reject(
          new Error((answer as Problem | null)?.title ?? 'The upload failed. Nothing of it was kept; send it again.'),
        );
    };
    request.onerror = () => reject(new Error('The connection broke. Nothing of the upload was kept; send it again.'));
    request.onabort = () => reject(new Error('Stopped. Nothing of the upload was kept.'));
    signal?.addEventListener('abort', () => request.abort());
    request.send(form);
  });
}
