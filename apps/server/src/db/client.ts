import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { drizzle, type NodePgDatabase } from 'drizzle-orm/node-postgres';
import { migrate } from 'drizzle-orm/node-postgres/migrator';
import pg from 'pg';
import * as schema from './schema.ts';

export type Database = NodePgDatabase<typeof schema>;
export interface Connection {
  db: Database;
  pool: pg.Pool;
  close(): Promise<void>;
}

/** A pool of connections. A broken idle connection is dropped, not fatal: the database may be restarted under us. */
export function connect(url: string, most = 8): Connection {
  const pool = new pg.Pool({ connectionString: url, max: most, connectionTimeoutMillis: 10_000 });
  pool.on('error', () => {});
  return { db: drizzle(pool, { schema }), pool, close: () => pool.end() };
}

/** The database was made by a program newer than this one, which would misread it. */
export class NewerSchemaError extends Error {
  constructor() {
    super('This data was written by a newer Dimetra. Start that one, or name another folder with --data.');
  }
}

async function refuseNewer(client: pg.PoolClient, folder: string): Promise<void> {
  const { rows: there } = await client.query("select to_regclass('drizzle.__drizzle_migrations') as table");
  if (!there[0].table) return;
  const { entries } = JSON.parse(await readFile(join(folder, 'meta', '_journal.json'), 'utf8')) as {
      entries: { when: number }[];
    },
    { rows } = await client.query('select max(created_at) as newest from drizzle.__drizzle_migrations');
  if (Number(rows[0].newest) > Math.max(...entries.map((entry) => entry.when))) throw new NewerSchemaError();
}

/** Brings the schema up to date; two processes doing it at once take turns. @throws NewerSchemaError */
export async function migrateDatabase(connection: Connection, folder: string): Promise<void> {
  const client = await connection.pool.connect();
  try {
    await client.query('select pg_advisory_lock(727001)');
    await refuseNewer(client, folder);
    await migrate(connection.db, { migrationsFolder: folder });
    await client.query('alter table blob_chunk alter column bytes set storage external');
  } finally {
    await client.query('select pg_advisory_unlock(727001)').catch(() => {});
    client.release();
  }
}

/** Tries again while the database is away: a restart in the middle of a run costs seconds, not the run. */
export async function persistently<T>(work: () => Promise<T>, tries = 20): Promise<T> {
  for (let attempt = 1; ; attempt++) {
    try {
      return await work();
    } catch (error) {
      if (attempt >= tries || !isConnectionLoss(error)) throw error;
      await new Promise((resolve) => setTimeout(resolve, Math.min(2000, 100 * attempt)));
    }
  }
}

/** A queue that loses its connection in the background must not take the process with it; anything else must. */
export function outliveConnectionLoss(): void {
  process.on('unhandledRejection', (error) => {
    if (isConnectionLoss(error)) return;
    process.stderr.write(`${(error as Error)?.stack ?? String(error)}\n`);
    process.exit(5);
  });
}

function isConnectionLoss(error: unknown): boolean {
  const codes = new Set(['ECONNREFUSED', 'ECONNRESET', 'EPIPE', '57P01', '57P02', '57P03', '08006', '08003', 'ENOENT']);
  for (let at = error; at instanceof Error; at = at.cause) {
    if (
      codes.has((at as NodeJS.ErrnoException).code ?? '') ||
      /Connection terminated|timeout exceeded when trying to connect|not queryable/.test(at.message)
    )
      return true;
  }
  return false;
}
