import { spawn } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { existsSync } from 'node:fs';
import { mkdir, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import { basename, dirname, join, relative, sep } from 'node:path';
import { defaultRecipe, SHIPPED_FIGURES, SHIPPED_TARGETS, withAppearance, withFigure } from '@dimetra/core';
import { PEOPLE, type Person } from '@dimetra/cast';
import { sha256 } from '@dimetra/platform';
import { eq } from 'drizzle-orm';
import type { Connection } from './db/client.ts';
import { conversionOf, conversionWithAim } from './db/conversions.ts';
import { askForRun } from './db/runs.ts';
import { addCharacter } from './db/first-revision.ts';
import { listTargets, saveTarget } from './db/targets.ts';
import { character, conversion, production, run, target } from './db/schema.ts';
import { intake, type ArrivedFile, type IntakeAnswer } from './jobs/intake.ts';
import { BlobStore } from './blobs/store.ts';
import type PgBoss from 'pg-boss';
import { QUEUE } from './jobs/worker.ts';

/** The production and its shipped targets; there from the first start, with or without the demo. */
export async function seedProduction(connection: Connection): Promise<void> {
  const { db } = connection;
  if (!(await db.select().from(production).limit(1)).length)
    await db.insert(production).values({ name: 'Vell Sund pilotage' });
  for (const data of SHIPPED_TARGETS)
    await db.insert(target).values({ id: data.id, data, shipped: true }).onConflictDoNothing();
  for (const { data } of await listTargets(db))
    if (withAppearance(data) !== data) await saveTarget(db, withAppearance(data));
}

interface DemoFolder {
  folder: string;
  generator: string;
  small: boolean;
  say: (text: string) => void;
}
/** Marks a cast that is still being made, so that the next start goes on. */
const UNFINISHED = 'unfinished';
/** Reads what was stored as one character; off the server's own thread. */
export type ReadFiles = (files: ArrivedFile[], owner: string) => Promise<IntakeAnswer>;
type Made = { path: string; bytes: Uint8Array }[];

/** Makes the first person once (kept by a hash of the generator), brings them in, and queues their conversion. The next one is made beside. */
export async function seedDemo(connection: Connection, boss: PgBoss, demo: DemoFolder): Promise<boolean> {
  if ((await connection.db.select().from(character).limit(1)).length) return false;
  await mkdir(demo.folder, { recursive: true });
  await writeFile(join(demo.folder, UNFINISHED), '');
  const [first] = PEOPLE;
  demo.say('Making the demo cast: the first person takes about a minute, the others follow while you look.');
  const making = made(first, demo, demo.say);
  void prepare(PEOPLE[1], demo, () => false).catch(() => {});
  const files = await making;
  demo.say('Bringing the demo character in.');
  const ids = await bringIn(connection, first.name, files, 'headset-deck', (arrived, owner) =>
    intake(connection, arrived, owner),
  );
  if (ids.run) await boss.send(QUEUE, { runId: ids.run }, { retryLimit: 3 });
  return true;
}

/** The other people of the cast, in the formats and conditions they arrive in, one after the other beside the running server. */
export async function seedOthers(
  connection: Connection,
  demo: DemoFolder,
  read: ReadFiles,
  announce: (event: object) => void,
  stopping: () => boolean,
  queue: (runId: string) => Promise<void>,
): Promise<void> {
  const open = join(demo.folder, UNFINISHED);
  const others = PEOPLE.slice(1);
  for (const [i, person] of others.entries()) {
    const known = await connection.db.select().from(character).where(eq(character.name, person.name));
    if (known.length || stopping()) continue;
    try {
      const making = made(person, demo, () => {}, stopping);
      // Two at a time: a machine has two cores.
      if (others[i + 1]) void prepare(others[i + 1], demo, stopping).catch(() => {});
      const files = await making;
      if (stopping()) return;
      await bringIn(connection, person.name, files, null, read);
      announce({ type: 'characters' });
    } catch (error) {
      if (stopping()) return;
      demo.say(
        `The ${person.name.toLowerCase()} of the demo could not be made: ${(error as Error).message.slice(0, 200)}`,
      );
    }
  }
  await runGenerator(['motions', join(demo.folder, 'motions')], demo, () => {}, stopping).catch((error: Error) =>
    demo.say(`The demo's motions could not be made: ${error.message.slice(0, 200)}`),
  );
  // Of a small cast, as tests have it, nobody looks at these: they take a minute each.
  if (!demo.small)
    for (const [name, targetId] of ON_FIGURES) if (!stopping()) await convertFor(connection, name, targetId, queue);
  if (!stopping()) await rm(open, { force: true });
}

/** Whose skin the demo puts on another figure's polygons. */
const ON_FIGURES: readonly (readonly [name: string, targetId: string])[] = [
  ['Harbour pilot', 'corvane-figure'],
  ['Rescue swimmer', 'tessel-figure'],
];

/** Asks for a conversion as somebody at the page would; nobody asks for one of a character that was removed meanwhile. */
async function convertFor(
  { db }: Connection,
  name: string,
  targetId: string,
  queue: (runId: string) => Promise<void>,
): Promise<void> {
  const [one] = await db.select().from(character).where(eq(character.name, name)),
    aim = SHIPPED_TARGETS.find((entry) => entry.id === targetId);
  if (!one || !aim) return;
  const { id } = await conversionOf(db, { characterId: one.id, targetId }),
    row = await conversionWithAim(db, id);
  if (!row) return;
  const made = await askForRun(db, {
    conversionId: id,
    revisionId: row.revisionId,
    recipe: row.conversion.recipe,
    target: withFigure(row.target, SHIPPED_FIGURES),
  });
  if (!made.already) await queue(made.id);
}

/** Whether an earlier start was stopped while the cast was being made. */
export const demoUnfinished = (folder: string): boolean => existsSync(join(folder, UNFINISHED));

/** Folder of one person's arrival: another generator, another folder. */
async function folderOf(person: Person, { folder, generator, small }: DemoFolder): Promise<string> {
  // The bundle's own chunks go into it too: what they draw on lies beside the entry.
  const files = (await readdir(dirname(generator), { recursive: true }))
    .filter((name) => /\.js$/.test(name) && (name === basename(generator) || name.includes('/')))
    .sort();
  const hashes = await Promise.all(
    files.map(async (name) => sha256(new Uint8Array(await readFile(join(dirname(generator), name))))),
  );
  return join(
    folder,
    `${person.id}-${small ? 'small-' : ''}${sha256(new TextEncoder().encode(hashes.join('\n'))).slice(0, 16)}`,
  );
}

const underWay = new Map<string, Promise<string>>();
/** One person's arrival, made by the generator in a process of its own where it is not kept from before; asked for twice, made once. */
async function prepare(
  person: Person,
  demo: DemoFolder,
  stopping: () => boolean,
  say: (text: string) => void = () => {},
): Promise<string> {
  const out = await folderOf(person, demo);
  let making = underWay.get(out);
  if (!making) {
    making = existsSync(out)
      ? Promise.resolve(out)
      : runGenerator([person.id, out, 'arrival', ...(demo.small ? ['small'] : [])], demo, say, stopping).then(
          () => out,
        );
    underWay.set(out, making);
    making.catch(() => underWay.delete(out));
  }
  return making;
}

async function runGenerator(
  args: string[],
  { generator }: DemoFolder,
  say: (text: string) => void,
  stopping: () => boolean,
): Promise<void> {
  const child = spawn(process.execPath, ['--max-semi-space-size=64', generator, ...args], {
    stdio: ['ignore', 'ignore', 'pipe'],
  });
  let last = '';
  child.stderr.on('data', (text: Buffer) => {
    for (const line of text.toString().split('\n'))
      if (line.trim()) {
        last = line.trim();
        say(line.trimEnd());
      }
  });
  const end = () => child.kill('SIGKILL');
  // The server may be told to stop before anybody asks for this one.
  process.once('exit', end);
  const watch = setInterval(() => {
    if (stopping()) end();
  }, 300);
  const code = await new Promise<number | null>((resolve) => child.on('exit', resolve));
  clearInterval(watch);
  process.removeListener('exit', end);
  if (code !== 0) throw new Error(last || `the generator ended with ${code}`);
}

/** Files of one person's arrival. */
async function made(
  person: Person,
  demo: DemoFolder,
  say: (text: string) => void,
  stopping: () => boolean = () => false,
): Promise<Made> {
  const out = await prepare(person, demo, stopping, say);
  const names = (await readdir(out, { recursive: true, withFileTypes: true }))
    .filter((entry) => entry.isFile())
    .map((entry) => join(entry.parentPath, entry.name))
    .sort();
  return Promise.all(
    names.map(async (name) => ({
      path: relative(out, name).split(sep).join('/'),
      bytes: new Uint8Array(await readFile(name)),
    })),
  );
}

async function bringIn(
  connection: Connection,
  name: string,
  made: Made,
  targetId: string | null,
  read: ReadFiles,
): Promise<{ revision: string; run: string | null }> {
  const { db } = connection,
    blobs = new BlobStore(db),
    owner = `upload:demo-${randomUUID()}`;
  const files: ArrivedFile[] = [];
  for (const file of made) {
    async function* once() {
      yield Buffer.from(file.bytes);
    }
    files.push({ path: file.path, ...(await blobs.receive(owner, once(), 'application/octet-stream')) });
  }
  const [found] = (await read(files, owner)).characters;
  const [prod] = await db.select().from(production).limit(1);
  const aim = SHIPPED_TARGETS.find((entry) => entry.id === targetId);
  const ids = await db.transaction(async (tx) => {
    const { id: characterId, revisionId } = await addCharacter(tx, { productionId: prod.id, name, files, found });
    if (!aim) return { revision: revisionId, run: null };
    const [conv] = await tx
      .insert(conversion)
      .values({ characterId, targetId: aim.id, recipe: defaultRecipe() })
      .returning();
    const [job] = await tx
      .insert(run)
      .values({ conversionId: conv.id, revisionId, recipe: conv.recipe, target: aim })
      .returning();
    return { revision: revisionId, run: job.id };
  });
  await connection.pool.query(
    'insert into blob_ref (owner, sha256) select $1, sha256 from blob_ref where owner = $2 on conflict do nothing',
    [`revision:${ids.revision}`, owner],
  );
  await blobs.release(owner);
  return ids;
}
