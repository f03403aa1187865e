import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { deserialize, serialize } from 'node:v8';
import type { Arrival, PersonId } from '../index.ts';

const root = new URL('../../../../', import.meta.url).pathname;
/** Whoever makes somebody and takes longer than this has died over it, milliseconds. */
const LONGEST = 240_000;

/** What arrivals are made of: the code of these, and the packages they stand on. */
function stateOf(): string {
  const hash = createHash('sha256');
  for (const room of ['packages/cast/src', 'packages/core/src', 'packages/platform/src'])
    for (const file of readdirSync(join(root, room), { recursive: true, encoding: 'utf8' }).sort())
      if (/\.(ts|json)$/.test(file) && !/\.test\.ts$/.test(file))
        hash.update(file).update(readFileSync(join(root, room, file)));
  return hash
    .update(readFileSync(join(root, 'package-lock.json')))
    .digest('hex')
    .slice(0, 16);
}

let folder: string | null = null;

/** Folders of other code that nobody has used for this long go; one may be another run's, milliseconds. */
const FORGOTTEN = 24 * 3600 * 1000;

/** The folder of this code's people. */
function ownFolder(): string {
  const prefix = `dimetra-small-cast-${process.getuid?.() ?? 0}-`,
    own = join(tmpdir(), `${prefix}${stateOf()}`);
  for (const other of readdirSync(tmpdir())) {
    const path = join(tmpdir(), other),
      used = other.startsWith(prefix) && path !== own && statSync(path, { throwIfNoEntry: false })?.mtimeMs;
    if (used && Date.now() - used > FORGOTTEN) rmSync(path, { recursive: true, force: true });
  }
  mkdirSync(own, { recursive: true });
  return own;
}

/** Somebody as made before by the same code, by this or another worker; else made now and left for the others. */
export async function keptArrival(id: PersonId, make: () => Promise<Arrival>): Promise<Arrival> {
  folder ??= ownFolder();
  const path = join(folder, id),
    making = `${path}.making`;
  for (;;) {
    if (existsSync(path)) return deserialize(readFileSync(path)) as Arrival;
    try {
      mkdirSync(making);
      break;
    } catch {
      const since = statSync(making, { throwIfNoEntry: false })?.mtimeMs ?? 0;
      if (since && Date.now() - since > LONGEST) rmSync(making, { recursive: true, force: true });
      await new Promise((resolve) => setTimeout(resolve, 150));
    }
  }
  try {
    const arrival = await make();
    writeFileSync(`${path}.new`, serialize(arrival));
    renameSync(`${path}.new`, path);
    return arrival;
  } finally {
    rmSync(making, { recursive: true, force: true });
  }
}
