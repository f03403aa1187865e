import { HELD_STATES } from '@dimetra/contract';
import { and, desc, eq, inArray, sql } from 'drizzle-orm';
import type { Database } from './client.ts';
import { character, conversion, delivery, run } from './schema.ts';

const PAGE = 50;
const listed = {
  id: run.id,
  conversionId: run.conversionId,
  revisionId: run.revisionId,
  state: run.state,
  progress: run.progress,
  message: run.message,
  station: run.station,
  error: run.error,
  createdAt: run.createdAt,
  startedAt: run.startedAt,
  finishedAt: run.finishedAt,
  attempts: run.attempts,
  deliveryId: delivery.id,
  deliveryBytes: delivery.bytes,
};

/** What a list says of a run's steps. */
const counted = {
  done: sql<number>`jsonb_array_length(${run.steps})`.mapWith(Number),
  known:
    sql<number>`(select count(*) from jsonb_array_elements(${run.steps}) step where step->>'cached' = 'true')`.mapWith(
      Number,
    ),
};

/** Asks for a run. @returns its id, or that of the one that is waiting or at work: a conversion has one at a time */
export async function askForRun(
  db: Database,
  asked: Pick<typeof run.$inferInsert, 'conversionId' | 'revisionId' | 'recipe' | 'target' | 'follows' | 'by'>,
): Promise<{ id: string; already?: true }> {
  const [made] = await db.insert(run).values(asked).onConflictDoNothing().returning({ id: run.id });
  if (made) return made;
  const ofConversion = eq(run.conversionId, asked.conversionId),
    [active] = await db
      .select({ id: run.id })
      .from(run)
      .where(and(ofConversion, inArray(run.state, [...HELD_STATES])));
  // It may have ended in this very moment: then it is the newest that answers.
  const [newest] = active
    ? [active]
    : await db.select({ id: run.id }).from(run).where(ofConversion).orderBy(desc(run.createdAt)).limit(1);
  return { id: newest.id, already: true };
}

export const runsOfConversion = (db: Database, conversionId: string) =>
  db
    .select({ ...listed, ...counted })
    .from(run)
    .leftJoin(delivery, eq(delivery.runId, run.id))
    .where(eq(run.conversionId, conversionId))
    .orderBy(desc(run.createdAt))
    .limit(20);

/** @param page from 1 */
export const listRuns = (db: Database, page: number) =>
  db
    .select({
      ...listed,
      ...counted,
      character: character.name,
      characterId: character.id,
      targetId: conversion.targetId,
    })
    .from(run)
    .innerJoin(conversion, eq(run.conversionId, conversion.id))
    .innerJoin(character, eq(conversion.characterId, character.id))
    .leftJoin(delivery, eq(delivery.runId, run.id))
    .orderBy(desc(run.createdAt))
    .limit(PAGE)
    .offset((page - 1) * PAGE);

export async function findRun(db: Database, id: string) {
  const [row] = await db
    .select({
      ...listed,
      steps: run.steps,
      checks: run.checks,
      recipe: run.recipe,
      target: run.target,
      result: run.result,
      parity: run.parity,
      deliveryFiles: delivery.files,
    })
    .from(run)
    .leftJoin(delivery, eq(delivery.runId, run.id))
    .where(eq(run.id, id));
  return row;
}

export async function manifestOfRun(db: Database, id: string) {
  const [row] = await db.select({ manifest: run.manifest }).from(run).where(eq(run.id, id));
  return row?.manifest;
}

/**
 * A picture of a run's result, or of what it was made from, as its data URI; the first of the figure where no view is named.
 * Whole measurements are megabytes: the database picks it out.
 */
export async function pictureOfRun(
  db: Database,
  id: string,
  { side, view }: { side: 'source' | 'result'; view: string },
): Promise<string | undefined> {
  const { rows } = await db.execute<{ picture: string | null }>(sql`
    select seen->'pictures'->>${side} as picture
    from ${run}, jsonb_array_elements(${run.parity}->'appearance'->'views') seen
    where ${run.id} = ${id} and seen->'view'->>'name' = ${view}`);
  return rows[0]?.picture ?? undefined;
}

/** One that waits ends at once; one at work is asked to. */
export async function stopRun(db: Database, id: string): Promise<void> {
  await db
    .update(run)
    .set({ state: 'cancelled', finishedAt: new Date() })
    .where(and(eq(run.id, id), eq(run.state, 'queued')));
  await db
    .update(run)
    .set({ state: 'cancelling' })
    .where(and(eq(run.id, id), eq(run.state, 'running')));
}

export async function findDelivery(db: Database, id: string) {
  const [row] = await db
    .select({ delivery, checks: run.checks })
    .from(delivery)
    .innerJoin(run, eq(delivery.runId, run.id))
    .where(eq(delivery.id, id));
  return row;
}

export async function reportOfDelivery(db: Database, id: string) {
  const [row] = await db.select({ report: delivery.report }).from(delivery).where(eq(delivery.id, id));
  return row?.report;
}
