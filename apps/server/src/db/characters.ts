import type { RunState } from '@dimetra/contract';
import type { Check } from '@dimetra/core';
import { and, eq, sql } from 'drizzle-orm';
import { addCharacter, type Arrived } from './first-revision.ts';
import type { Database } from './client.ts';
import { blobRef, character, conversion, production, revision, run } from './schema.ts';

export async function firstProduction(db: Database) {
  const [row] = await db.select().from(production).limit(1);
  return row;
}

/** Every character as its card shows it: counted where it is kept, so that no inventory leaves the database. */
export function listCharacters(db: Database) {
  const counted = (key: string) => sql<number>`jsonb_array_length(${revision.summary}->${key})`.mapWith(Number);
  return db
    .select({
      id: character.id,
      name: character.name,
      picture: character.picture,
      createdAt: character.createdAt,
      revisionId: revision.id,
      revision: revision.number,
      triangles: sql<number>`${revision.summary}->'triangles'`.mapWith(Number),
      heightCm: sql<number>`${revision.summary}->'heightCm'`.mapWith(Number),
      joints: counted('joints'),
      morphs: counted('morphTargets'),
      materials: counted('materials'),
      findings: sql<number>`jsonb_array_length(${revision.findings})`.mapWith(Number),
    })
    .from(character)
    .innerJoin(
      revision,
      and(
        eq(revision.characterId, character.id),
        eq(revision.number, sql`(select max(number) from revision r where r.character_id = ${character.id})`),
      ),
    )
    .orderBy(character.createdAt);
}

/** The newest run of every conversion, with no more of its checks than a verdict and its worst number need. */
export async function latestStates(db: Database) {
  const { rows } = await db.execute<{
    character_id: string;
    target_id: string;
    state: RunState | null;
    conversion_id: string;
    run_id: string | null;
    progress: number | null;
    problem: string | null;
    checks: Pick<Check, 'ok' | 'blocking' | 'rule' | 'title' | 'measured' | 'limit' | 'unit'>[] | null;
  }>(sql`
    select distinct on (c.id) c.character_id, c.target_id, c.id as conversion_id, r.state, r.id as run_id, r.progress, r.error->>'message' as problem, (select jsonb_agg(jsonb_build_object('ok', x->'ok', 'blocking', x->'blocking', 'rule', x->'rule', 'title', x->'title', 'measured', x->'measured', 'limit', x->'limit', 'unit', x->'unit')) from jsonb_array_elements(r.checks) x) as checks
    from conversion c left join run r on r.conversion_id = c.id order by c.id, r.created_at desc`);
  return rows;
}

export async function findCharacter(db: Database, id: string) {
  const [row] = await db.select().from(character).where(eq(character.id, id));
  return row;
}

export async function findByName(db: Database, name: string) {
  const [row] = await db.select().from(character).where(eq(character.name, name));
  return row;
}

/** Everybody who arrived, all or none: each keeps its own pieces and what arrived, so that removing one leaves the others whole. */
export function addArrived(
  db: Database,
  files: Arrived['files'],
  characters: readonly (Arrived['found'] & { name: string; pieces: readonly string[] })[],
) {
  return db.transaction(async (tx) => {
    const [home] = await tx.select().from(production).limit(1);
    const out: { id: string; name: string; revisionId: string }[] = [];
    for (const found of characters) {
      const isFree = async (name: string) =>
        (
          await tx
            .select({ id: character.id })
            .from(character)
            .where(and(eq(character.productionId, home.id), eq(character.name, name)))
        ).length === 0;
      const name = await freeName(isFree, niceName(found.name)),
        { id, revisionId } = await addCharacter(tx, { productionId: home.id, name, files, found }),
        needed = [...new Set([...found.pieces, ...files.map((file) => file.sha256)])];
      for (let i = 0; i < needed.length; i += 1000)
        await tx
          .insert(blobRef)
          .values(needed.slice(i, i + 1000).map((hash) => ({ owner: `revision:${revisionId}`, sha256: hash })))
          .onConflictDoNothing();
      out.push({ id, name, revisionId });
    }
    return out;
  });
}

export async function renameCharacter(db: Database, id: string, name: string) {
  const [row] = await db.update(character).set({ name }).where(eq(character.id, id)).returning();
  return row;
}

/** Whether there is such a character to give a picture to. */
export async function setPicture(db: Database, id: string, hash: string): Promise<boolean> {
  const rows = await db
    .update(character)
    .set({ picture: hash })
    .where(eq(character.id, id))
    .returning({ id: character.id });
  return rows.length > 0;
}

/** Removes a character with its revisions, conversions and runs. @returns who kept blobs for it */
export async function removeCharacter(db: Database, id: string): Promise<string[]> {
  const revisions = await db.select({ id: revision.id }).from(revision).where(eq(revision.characterId, id)),
    runs = await db
      .select({ id: run.id })
      .from(run)
      .innerJoin(conversion, eq(run.conversionId, conversion.id))
      .where(eq(conversion.characterId, id));
  await db.delete(character).where(eq(character.id, id));
  return [`picture:${id}`, ...revisions.map((row) => `revision:${row.id}`), ...runs.map((row) => `run:${row.id}`)];
}

const niceName = (file: string): string => {
  const text = file.replace(/[_-]+/g, ' ').replace(/\s+/g, ' ').trim().slice(0, 100);
  return text ? text[0].toUpperCase() + text.slice(1) : 'Character';
};

async function freeName(isFree: (name: string) => Promise<boolean>, wanted: string): Promise<string> {
  for (let n = 1; ; n++) {
    const name = n === 1 ? wanted : `${wanted} ${n}`;
    if (await isFree(name)) return name;
  }
}
