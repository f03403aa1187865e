import { spawn } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { existsSync } from 'node:fs';
import { mkdir, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import { join, relative, sep } from 'node:path';
import { defaultRecipe, SHIPPED_TARGETS } from '@dimetra/core';
import { CAST_VERSION, PEOPLE, type Person } from '@dimetra/cast';
import { eq } from 'drizzle-orm';
import type { Connection } from './db/client.ts';
import { character, conversion, production, run, revision, target } from './db/schema.ts';
import { intake, type ArrivedFile, type IntakeAnswer } from './jobs/intake.ts';
import { BlobStore } from './blobs/store.ts';
import type PgBoss from 'pg-boss';
import { QUEUE } from './jobs/worker.ts';

/** The production and its shipped targets; there from the first start, with or without the demo. */
export async function seedProduction(connection: Connection): Promise<void> {
  const { db } = connection;
  if (!(await db.select().from(production).limit(1)).length) await db.insert(production).values({ name: 'Vell Sund pilotage' });
  for (const data of SHIPPED_TARGETS) await db.insert(target).values({ id: data.id, data, shipped: true }).onConflictDoNothing();
}

interface DemoFolder { folder: string; generator: string; small: boolean; say: (text: string) => void }
/** Marks a cast that is still being made, so that the next start goes on. */
const UNFINISHED = 'unfinished';
/** Reads what was stored as one character; off the server's own thread. */
export type ReadFiles = (files: ArrivedFile[], owner: string) => Promise<IntakeAnswer>;
type Made = { path: string; bytes: Uint8Array }[];

/** Makes the first person once (kept by generator version), brings them in, and queues their conversion. */
export async function seedDemo(connection: Connection, boss: PgBoss, demo: DemoFolder): Promise<boolean> {
  if ((await connection.db.select().from(character).limit(1)).length) return false;
  await mkdir(demo.folder, { recursive: true });
  await writeFile(join(demo.folder, UNFINISHED), '');
  const [first] = PEOPLE;
  demo.say('Making the demo cast: the first person takes about a minute, the others follow while you look.');
  const files = await made(first, demo, demo.say);
  demo.say('Bringing the demo character in.');
  const ids = await bringIn(connection, first.name, files, 'headset-deck', (arrived, owner) => intake(connection, arrived, owner));
  if (ids.run) await boss.send(QUEUE, { runId: ids.run }, { retryLimit: 3 });
  return true;
}

/** The other people of the cast, in the formats and conditions they arrive in, one after the other beside the running server. */
export async function seedOthers(connection: Connection, demo: DemoFolder, read: ReadFiles, announce: (event: object) => void, stopping: () => boolean): Promise<void> {
  const open = join(demo.folder, UNFINISHED);
  for (const person of PEOPLE.slice(1)) {
    const known = await connection.db.select().from(character).where(eq(character.name, person.name));
    if (known.length || stopping()) continue;
    try {
      const files = await made(person, demo, () => {}, stopping);
      if (stopping()) return;
      await bringIn(connection, person.name, files, null, read);
      announce({ type: 'characters' });
    } catch (error) {
      if (stopping()) return;
      demo.say(`The ${person.name.toLowerCase()} of the demo could not be made: ${(error as Error).message.slice(0, 200)}`);
    }
  }
  await rm(open, { force: true });
}

/** Whether an earlier start was stopped while the cast was being made. */
export const demoUnfinished = (folder: string): boolean => existsSync(join(folder, UNFINISHED));

/** Files of one person's arrival, made by the generator in a process of its own where they are not kept from before. */
async function made(person: Person, { folder, generator, small }: DemoFolder, say: (text: string) => void, stopping: () => boolean = () => false): Promise<Made> {
  const out = join(folder, `${person.id}-${small ? 'small-' : ''}${CAST_VERSION}`);
  if (!existsSync(out)) {
    const child = spawn(process.execPath, [generator, person.id, out, 'arrival', ...(small ? ['small'] : [])], { stdio: ['ignore', 'ignore', 'pipe'] });
    let last = '';
    child.stderr.on('data', (text: Buffer) => { for (const line of text.toString().split('\n')) if (line.trim()) { last = line.trim(); say(line.trimEnd()); } });
    const watch = setInterval(() => { if (stopping()) child.kill('SIGKILL'); }, 300);
    const code = await new Promise<number | null>((resolve) => child.on('exit', resolve));
    clearInterval(watch);
    if (code !== 0) throw new Error(last || `the generator ended with ${code}`);
  }
  const names = (await readdir(out, { recursive: true, withFileTypes: true })).filter((entry) => entry.isFile()).map((entry) => join(entry.parentPath, entry.name)).sort();
  return Promise.all(names.map(async (name) => ({ path: relative(out, name).split(sep).join('/'), bytes: new Uint8Array(await readFile(name)) })));
}

async function bringIn(connection: Connection, name: string, made: Made, targetId: string | null, read: ReadFiles): Promise<{ revision: string; run: string | null }> {
  const { db } = connection, blobs = new BlobStore(db), owner = `upload:demo-${randomUUID()}`;
  const files: ArrivedFile[] = [];
  for (const file of made) {
    async function* once() { yield Buffer.from(file.bytes); }
    files.push({ path: file.path, ...(await blobs.receive(owner, once(), 'application/octet-stream')) });
  }
  const [found] = (await read(files, owner)).characters;
  const [prod] = await db.select().from(production).limit(1);
  const aim = SHIPPED_TARGETS.find((entry) => entry.id === targetId);
  const ids = await db.transaction(async (tx) => {
    const [row] = await tx.insert(character).values({ productionId: prod.id, name }).returning();
    const [first] = await tx.insert(revision).values({ characterId: row.id, number: 1, files: files.map((file) => ({ ...file, used: found.used.includes(file.path) })), manifest: found.manifest, summary: { ...found.summary, name }, findings: found.findings }).returning();
    if (!aim) return { revision: first.id, run: null };
    const [conv] = await tx.insert(conversion).values({ characterId: row.id, targetId: aim.id, recipe: defaultRecipe() }).returning();
    const [job] = await tx.insert(run).values({ conversionId: conv.id, revisionId: first.id, recipe: conv.recipe, target: aim }).returning();
    return { revision: first.id, run: job.id };
  });
  await connection.pool.query('insert into blob_ref (owner, sha256) select $1, sha256 from blob_ref where owner = $2 on conflict do nothing', [`revision:${ids.revision}`, owner]);
  await blobs.release(owner);
  return ids;
}
