import { ProblemError } from '@dimetra/core';
import { and, desc, eq, lt, sql } from 'drizzle-orm';
import type { Database } from './client.ts';
import { blobRef, character, revision } from './schema.ts';

export type Transaction = Parameters<Parameters<Database['transaction']>[0]>[0];

/** The revision before another, as far as it is compared with that. */
export async function revisionBefore(db: Database, characterId: string, number: number) {
  const [row] = await db
    .select({
      id: revision.id,
      number: revision.number,
      summary: revision.summary,
      createdAt: revision.createdAt,
    })
    .from(revision)
    .where(and(eq(revision.characterId, characterId), lt(revision.number, number)))
    .orderBy(desc(revision.number))
    .limit(1);
  return row;
}

/** The newest revision as a page shows it: without the document itself. */
export async function latestShown(db: Database, characterId: string) {
  const [row] = await db
    .select({
      id: revision.id,
      number: revision.number,
      files: revision.files,
      summary: revision.summary,
      findings: revision.findings,
      createdAt: revision.createdAt,
    })
    .from(revision)
    .where(eq(revision.characterId, characterId))
    .orderBy(desc(revision.number))
    .limit(1);
  return row;
}

export async function latestRevision(db: Database, characterId: string) {
  const [row] = await db
    .select()
    .from(revision)
    .where(eq(revision.characterId, characterId))
    .orderBy(desc(revision.number))
    .limit(1);
  return row;
}

/** The newest revision's id and inventory, and whose it is. */
export async function latestNamed(db: Database, characterId: string) {
  const [row] = await db
    .select({ id: revision.id, name: character.name, summary: revision.summary })
    .from(revision)
    .innerJoin(character, eq(revision.characterId, character.id))
    .where(eq(character.id, characterId))
    .orderBy(desc(revision.number))
    .limit(1);
  return row;
}

export async function findRevision(db: Database, id: string) {
  const [row] = await db.select().from(revision).where(eq(revision.id, id));
  return row;
}

export async function manifestOfRevision(db: Database, id: string) {
  const [row] = await db.select({ manifest: revision.manifest }).from(revision).where(eq(revision.id, id));
  return row?.manifest;
}

/**
 * Adds a revision after number `based`, with blobs by hash or all those of another owner.
 * @throws ProblemError conflict, where somebody else was quicker
 */
export function addRevision(
  db: Database,
  characterId: string,
  based: number,
  row: Pick<typeof revision.$inferInsert, 'files' | 'manifest' | 'summary' | 'findings'>,
  refs: { hashes?: string[]; owner?: string },
  /** What belongs to it: done with it, or not at all. */
  also: (tx: Transaction) => Promise<void> = async () => {},
) {
  return db.transaction(async (tx) => {
    const [{ number }] = await tx
      .select({ number: sql<number>`max(number)::int` })
      .from(revision)
      .where(eq(revision.characterId, characterId));
    if (number !== based)
      throw new ProblemError(
        'conflict',
        'Someone else has just changed this character. Look at it again, then send the image once more.',
      );
    const [made] = await tx
      .insert(revision)
      .values({ characterId, number: number + 1, ...row })
      .returning({ id: revision.id, number: revision.number });
    const to = `revision:${made.id}`;
    if (refs.owner)
      await tx.execute(
        sql`insert into blob_ref (owner, sha256) select ${to}, sha256 from blob_ref where owner = ${refs.owner} on conflict do nothing`,
      );
    const hashes = refs.hashes ?? [];
    for (let i = 0; i < hashes.length; i += 1000)
      await tx
        .insert(blobRef)
        .values(hashes.slice(i, i + 1000).map((sha256) => ({ owner: to, sha256 })))
        .onConflictDoNothing();
    await also(tx);
    return made;
  });
}
