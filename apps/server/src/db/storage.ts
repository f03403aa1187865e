import type { Stored } from '@dimetra/contract';
import { sql } from 'drizzle-orm';
import type { Database } from './client.ts';

/** What blobs are kept for, by the first word of their owner. */
const KEPT_FOR = {
  characters: ['revision', 'picture'],
  runs: ['run'],
  results: ['step', 'conclusion'],
  arriving: ['upload'],
};

/**
 * Bytes that are kept, and for what. What several need is counted for each of them and once in the total; `unclaimed` is
 * what nobody needs any more and the next sweep lets go.
 */
export async function storedBytes(db: Database): Promise<Stored> {
  const { rows } = await db.execute<{ kind: string | null; bytes: string }>(sql`
    with claimed as (select distinct split_part(owner, ':', 1) as kind, sha256 from blob_ref)
    select c.kind, sum(b.size)::text as bytes from claimed c join blob b using (sha256) group by c.kind
    union all select null, coalesce(sum(size), 0)::text from blob
    union all select 'none', coalesce(sum(size), 0)::text from blob b where not exists (select 1 from blob_ref r where r.sha256 = b.sha256)`);
  const of = (kinds: readonly (string | null)[]) =>
    rows.filter((row) => kinds.includes(row.kind)).reduce((sum, row) => sum + Number(row.bytes), 0);
  return {
    total: of([null]),
    characters: of(KEPT_FOR.characters),
    runs: of(KEPT_FOR.runs),
    results: of(KEPT_FOR.results),
    arriving: of(KEPT_FOR.arriving),
    unclaimed: of(['none']),
  };
}
