import { execFile } from 'node:child_process';
import { existsSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { defaultRecipe, SHIPPED_TARGETS } from '@dimetra/core';
import { CAST_VERSION } from '@dimetra/cast';
import type { Connection } from './db/client.ts';
import { character, conversion, production, run, revision, target } from './db/schema.ts';
import { intake } from './jobs/intake.ts';
import { BlobStore } from './blobs/store.ts';
import type PgBoss from 'pg-boss';
import { QUEUE } from './jobs/worker.ts';

const run$ = promisify(execFile);

/** The production and its shipped targets; there from the first start, with or without the demo. */
export async function seedProduction(connection: Connection): Promise<void> {
  const { db } = connection;
  if (!(await db.select().from(production).limit(1)).length) await db.insert(production).values({ name: 'Vell Sund pilotage' });
  for (const data of SHIPPED_TARGETS) await db.insert(target).values({ id: data.id, data, shipped: true }).onConflictDoNothing();
}

/** Makes the demo character once (kept by generator version), brings it in, and queues its conversion. */
export async function seedDemo(connection: Connection, boss: PgBoss, folder: string, generator: string, small: boolean, say: (text: string) => void): Promise<void> {
  const { db } = connection;
  if ((await db.select().from(character).limit(1)).length) return;
  const file = join(folder, `harbour-pilot-${small ? 'small-' : ''}${CAST_VERSION}.glb`);
  if (!existsSync(file)) {
    say('Making the demo cast: one person, about a minute.');
    const child = run$(process.execPath, [generator, 'harbour-pilot', file, ...(small ? ['small'] : [])], { maxBuffer: 1 << 26 });
    child.child.stderr?.on('data', (text: Buffer) => { for (const line of text.toString().split('\n')) if (line.trim()) say(line.trimEnd()); });
    await child;
  }
  say('Bringing the demo character in.');
  const bytes = new Uint8Array(await readFile(file));
  const blobs = new BlobStore(db);
  const owner = 'upload:demo';
  async function* once() { yield Buffer.from(bytes); }
  const kept = await blobs.receive(owner, once(), 'model/gltf-binary');
  const files = [{ path: 'harbour-pilot.glb', ...kept }];
  const found = await intake(connection, files, owner);
  const [prod] = await db.select().from(production).limit(1);
  const ids = await db.transaction(async (tx) => {
    const [row] = await tx.insert(character).values({ productionId: prod.id, name: 'Harbour pilot' }).returning();
    const [first] = await tx.insert(revision).values({ characterId: row.id, number: 1, files: [{ ...files[0], used: true }], manifest: found.manifest, summary: { ...found.summary, name: 'Harbour pilot' }, findings: found.findings }).returning();
    const [conv] = await tx.insert(conversion).values({ characterId: row.id, targetId: 'headset-deck', recipe: defaultRecipe() }).returning();
    const [job] = await tx.insert(run).values({ conversionId: conv.id, revisionId: first.id, recipe: conv.recipe, target: SHIPPED_TARGETS.find((t) => t.id === 'headset-deck') as (typeof SHIPPED_TARGETS)[number] }).returning();
    return { revision: first.id, run: job.id };
  });
  await connection.pool.query('insert into blob_ref (owner, sha256) select $1, sha256 from blob_ref where owner = $2 on conflict do nothing', [`revision:${ids.revision}`, owner]);
  await blobs.release(owner);
  await boss.send(QUEUE, { runId: ids.run }, { retryLimit: 3 });
}
