import { randomUUID } from 'node:crypto';
import { sql, type SQL } from 'drizzle-orm';
import type { Database } from '../db/client.ts';

type Transaction = Parameters<Parameters<Database['transaction']>[0]>[0];

/** Advisory lock of the store: claims share it, a sweep has it alone. Any number that nothing else uses. */
const STORE_LOCK = 721_041;

/** Until the transaction ends nothing is swept: a blob that is claimed is there, or is stored anew. */
export const whileNothingIsSwept = (tx: Transaction): Promise<unknown> =>
  tx.execute(sql`select pg_advisory_xact_lock_shared(${STORE_LOCK})`);

/** Name of a file while it arrives: it says since when, so that what is left of a broken one can be told. */
export const arrivalId = (now = Date.now()): string => `upload:${now}:${randomUUID()}`;

export interface SweepOptions {
  /** What is younger stays, whoever needs it: it may be about to be named. */
  olderThanSeconds?: number;
  /** Results of steps that nobody had use for in this time are made again when they are wanted. */
  keepResultsDays?: number;
  /** What results of steps may take on top of what characters and runs need, bytes: those that were longest not asked for go first. */
  keepResultsBytes?: number;
  /** An upload that takes longer than this is a broken one. */
  arrivalSeconds?: number;
}

/** How many rows of each kind went. */
export interface Swept {
  results: number;
  claims: number;
  blobs: number;
  chunks: number;
}

/**
 * Removes what nobody needs any more: results whose characters are gone or that were not asked for in weeks, claims of
 * owners that are gone, blobs that nobody claims, and what is left of uploads that broke.
 */
export async function sweep(
  db: Database,
  {
    olderThanSeconds = 3600,
    keepResultsDays = 60,
    keepResultsBytes = 20 * 1024 ** 3,
    arrivalSeconds = 86_400,
  }: SweepOptions = {},
): Promise<Swept> {
  return db.transaction(async (tx) => {
    await tx.execute(sql`set local lock_timeout = '60s'`);
    await tx.execute(sql`select pg_advisory_xact_lock(${STORE_LOCK})`);
    const count = async (query: SQL) => (await tx.execute(query)).rowCount ?? 0,
      old = sql`now() - make_interval(secs => ${olderThanSeconds})`;
    await tx.execute(sql`delete from kept_use where used_at < now() - make_interval(days => ${keepResultsDays})`);
    await tx.execute(letGoBySize(keepResultsBytes, old));
    let results = 0;
    for (const table of [sql`step_result`, sql`conclusion`])
      results += await count(
        sql`delete from ${table} t where t.created_at < ${old} and not exists (select 1 from kept_use u where u.key = t.key)`,
      );
    let claims = 0;
    for (const [kind, table, key] of OWNERS)
      claims += await count(
        sql`delete from blob_ref r where r.owner like ${`${kind}:%`} and r.created_at < ${old} and not exists (select 1 from ${table} t where ${`${kind}:`} || t.${key}::text = r.owner)`,
      );
    // Whoever brought an upload lets go of it when it is read; one that died in between doesn't.
    claims += await count(
      sql`delete from blob_ref where owner like 'upload:%' and created_at < now() - make_interval(secs => ${arrivalSeconds})`,
    );
    const blobs = await count(
      sql`delete from blob b where b.created_at < ${old} and not exists (select 1 from blob_ref r where r.sha256 = b.sha256)`,
    );
    const chunks =
      (await count(
        sql`delete from blob_chunk c where c.blob not like 'upload:%' and not exists (select 1 from blob b where b.sha256 = c.blob)`,
      )) +
      (await count(
        sql`delete from blob_chunk where blob like 'upload:%' and coalesce(substring(blob from '^upload:([0-9]+):')::bigint, 0) < (extract(epoch from now()) - ${arrivalSeconds}) * 1000`,
      ));
    return { results, claims, blobs, chunks };
  });
}

/**
 * Lets go of results until what only results need fits in `most` bytes. A blob counts for the result that was last asked
 * for of those that need it; what is younger than `old` stays, for a run may be at it.
 */
const letGoBySize = (most: number, old: SQL): SQL => sql`
  with asked as (select key, max(used_at) as at from kept_use group by key),
  needed as (
    select r.sha256, max(a.at) as at, bool_and(r.owner like 'step:%' or r.owner like 'conclusion:%') as by_results
    from blob_ref r left join asked a on a.key = substring(r.owner from position(':' in r.owner) + 1)
    group by r.sha256),
  grown as (
    select n.at, sum(b.size) over (order by n.at desc, b.sha256) as bytes
    from needed n join blob b using (sha256) where n.by_results and n.at is not null),
  first as (select max(at) as at from grown where bytes > ${most})
  delete from kept_use where key in (
    select key from asked where at <= (select at from first) and at < ${old})`;

/** Who may claim blobs: the kind that stands before the colon, the table of such owners and their key. */
const OWNERS: readonly (readonly [kind: string, table: SQL, key: SQL])[] = [
  ['step', sql`step_result`, sql`key`],
  ['conclusion', sql`conclusion`, sql`key`],
  ['run', sql`run`, sql`id`],
  ['revision', sql`revision`, sql`id`],
  ['picture', sql`character`, sql`id`],
  ['figure', sql`figure`, sql`id`],
];
