import { inspectFindings, inspectMaps, readCharacter, summarise, type ReadResult, type StepContext } from '@dimetra/core';
import { basename } from 'node:path';
import { readInput, sharpCodec, sha256, unpackImage } from '@dimetra/platform';

/** Progress on standard error: one line that rewrites itself on a terminal, a line a message elsewhere. */
export function createContext(): StepContext {
  let last = '';
  return {
    images: sharpCodec,
    hash: sha256,
    async character(path) { const { document, name } = await openCharacter(path); return { document, name }; },
    log: (message) => process.stderr.write(`${message}\n`),
    progress(fraction, message) {
      const text = `${String(Math.round(fraction * 100)).padStart(3)} % ${message}`;
      if (message === last) return;
      last = message;
      process.stderr.write(process.stderr.isTTY ? `\r\x1b[K${text}${fraction >= 1 ? '\n' : ''}` : `${text}\n`);
    },
  };
}

export async function openCharacter(path: string): Promise<ReadResult> {
  const files = await readInput(path);
  return readCharacter(files, undefined, { unpackImage, main: files.length > 1 ? files.find((file) => file.path === basename(path))?.path : undefined });
}

export async function describe(read: ReadResult) {
  const character = summarise(read.document, read.name);
  return { schema: 1 as const, character, findings: [...read.findings, ...inspectFindings(read.document, character), ...(await inspectMaps(read.document, sharpCodec))], used: read.used, unused: read.unused };
}
