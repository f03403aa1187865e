import {
  inspectFindings,
  inspectMaps,
  readCharacter,
  readCharacters,
  ProblemError,
  recogniseKinds,
  splitArrival,
  summarise,
  type ReadAll,
  type ReadResult,
  type StepContext,
} from '@dimetra/core';
import { basename } from 'node:path';
import { createRunCodec, readInput, sharpCodec, sha256, shippedBody, unpackImage } from '@dimetra/platform';

/** Progress on standard error: one line that rewrites itself on a terminal, a line a message elsewhere. */
export function createContext(): StepContext {
  let last = '';
  return {
    images: createRunCodec(),
    hash: sha256,
    piece: shippedBody,
    async character(path) {
      const { document, name } = await openCharacter(path);
      return { document, name };
    },
    log: (message) => process.stderr.write(`${message}\n`),
    progress(fraction, message) {
      const text = `${String(Math.round(fraction * 100)).padStart(3)} % ${message}`;
      if (message === last) return;
      last = message;
      process.stderr.write(process.stderr.isTTY ? `\r\x1b[K${text}${fraction >= 1 ? '\n' : ''}` : `${text}\n`);
    },
  };
}

/** One character: the file that is named, or the largest of a folder or archive. */
export async function openCharacter(path: string): Promise<ReadResult> {
  const files = await readInput(path);
  const read = await readCharacter(files, undefined, { unpackImage, main: mainOf(path, files) });
  await recogniseKinds(read.document, sharpCodec);
  return read;
}

/**
 * Every character of a folder or archive under a name of its own; of a file just that one.
 * @param only the model within it that is wanted, by its path there
 * @throws ProblemError intake.no-such-model
 */
export async function openCharacters(path: string, only?: string): Promise<ReadAll> {
  const arrived = await readInput(path),
    wanted = only === undefined ? null : splitArrival(arrived).find((one) => one.main === only);
  if (wanted === undefined) throw new ProblemError('intake.no-such-model', `“${path}” holds no model “${only}”.`, only);
  const files = wanted?.files ?? arrived,
    main = wanted?.main ?? mainOf(path, files);
  const all = main
    ? { characters: [await readCharacter(files, undefined, { unpackImage, main })], failed: [] }
    : await readCharacters(files, undefined, { unpackImage });
  distinct(
    all.characters.map((read) => read.name),
    ' ',
  ).forEach((name, i) => {
    all.characters[i].name = name;
  });
  for (const { document } of all.characters) await recogniseKinds(document, sharpCodec);
  return all;
}

/** Names of which each stands once, whatever disk they go to: a number behind the second of two. */
export function distinct(names: readonly string[], before: string): string[] {
  const taken = new Set<string>();
  return names.map((own) => {
    let name = own;
    for (let n = 2; taken.has(name.toLowerCase()); n++) name = `${own}${before}${n}`;
    taken.add(name.toLowerCase());
    return name;
  });
}

const mainOf = (path: string, files: readonly { path: string }[]): string | undefined =>
  files.length > 1 ? files.find((file) => file.path === basename(path))?.path : undefined;

export async function describe(read: ReadResult) {
  const character = summarise(read.document, read.name);
  return {
    schema: 1 as const,
    character,
    findings: [
      ...read.findings,
      ...inspectFindings(read.document, character),
      ...(await inspectMaps(read.document, sharpCodec)),
    ],
    used: read.used,
    unused: read.unused,
  };
}
