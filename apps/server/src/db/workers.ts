import type { WorkerRow } from '@dimetra/contract';
import { and, desc, eq, gt, isNull, lt, or, sql } from 'drizzle-orm';
import type { Database } from './client.ts';
import { character, conversion, program, run, worker } from './schema.ts';

/** A worker that was silent for this long is gone, whatever became of it. */
export const SILENT_SECONDS = 12;
/** Workers that fell silent are told of for an hour, those that ended for some minutes; all are forgotten after a day. */
const TOLD = sql`now() - interval '1 hour'`,
  LEFT = sql`now() - interval '5 minutes'`,
  FORGOTTEN = sql`now() - interval '1 day'`;

/** The server says which program it is: from now on workers of this one alone take runs. */
export async function stampProgram(db: Database, stamp: string): Promise<void> {
  await db
    .insert(program)
    .values({ stamp })
    .onConflictDoUpdate({ target: program.id, set: { stamp, since: sql`now()` } });
}

/** A database that a worker can't work for; the message says why and what to do. */
export class NotThisProgram extends Error {}

/** @throws NotThisProgram where no server was there yet, or another one */
export async function refuseOtherProgram(db: Database, stamp: string): Promise<void> {
  const rows = await db
    .select({ stamp: program.stamp })
    .from(program)
    .catch((error: unknown) => {
      // 42P01: the table isn't there.
      if (codeIn(error) === '42P01') return [];
      throw error;
    });
  if (!rows.length)
    throw new NotThisProgram(
      'No server of this version has been started with this database. Start it first; it makes the tables.',
    );
  if (rows[0].stamp !== stamp)
    throw new NotThisProgram(
      `This worker is another version of Dimetra (${stamp}) than the server of this database (${rows[0].stamp}): what it made would not be the same. Start the same version on both.`,
    );
}

function codeIn(error: unknown): string | undefined {
  for (let at = error; at instanceof Error; at = at.cause) {
    const { code } = at as { code?: string };
    if (code) return code;
  }
  return undefined;
}

/** @returns its id */
export async function enterWorker(
  db: Database,
  given: { name: string; pid: number; threads: number; memoryMb: number },
): Promise<string> {
  await db.delete(worker).where(lt(worker.heardAt, FORGOTTEN));
  const [made] = await db.insert(worker).values(given).returning({ id: worker.id });
  return made.id;
}

export const heardFrom = (db: Database, id: string) =>
  db.update(worker).set({ heardAt: sql`now()` }).where(eq(worker.id, id));

export const leaveWorker = (db: Database, id: string) =>
  db
    .update(worker)
    .set({ leftAt: sql`now()` })
    .where(and(eq(worker.id, id), isNull(worker.leftAt)));

/** Every worker of the last hour, with what it is at; who was heard last comes first. */
export async function listWorkers(db: Database): Promise<WorkerRow[]> {
  const rows = await db
      .select({
        id: worker.id,
        name: worker.name,
        pid: worker.pid,
        threads: worker.threads,
        memoryMb: worker.memoryMb,
        startedAt: worker.startedAt,
        heardAt: worker.heardAt,
        leftAt: worker.leftAt,
        silent: sql<boolean>`${worker.heardAt} < now() - make_interval(secs => ${SILENT_SECONDS})`,
        // Named in full: within a query of its own the shorter name would be the run's.
        finished:
          sql<number>`(select count(*) from ${run} r where r.worker_id = "worker"."id" and r.state in ('done', 'failed'))`.mapWith(
            Number,
          ),
      })
      .from(worker)
      .where(and(gt(worker.heardAt, TOLD), or(isNull(worker.leftAt), gt(worker.leftAt, LEFT))))
      .orderBy(desc(worker.heardAt)),
    atWork = await db
      .select({
        workerId: run.workerId,
        runId: run.id,
        character: character.name,
        characterId: character.id,
        targetId: conversion.targetId,
        progress: run.progress,
        message: run.message,
      })
      .from(run)
      .innerJoin(conversion, eq(run.conversionId, conversion.id))
      .innerJoin(character, eq(conversion.characterId, character.id))
      .where(eq(run.state, 'running'));
  return rows.map(({ leftAt, silent, startedAt, heardAt, ...row }) => {
    const runs = leftAt
      ? []
      : atWork.filter(({ workerId }) => workerId === row.id).map(({ workerId: _, ...one }) => one);
    return {
      ...row,
      startedAt: startedAt.toISOString(),
      heardAt: heardAt.toISOString(),
      state: leftAt ? 'left' : silent ? 'silent' : runs.length ? 'working' : 'idle',
      runs,
    };
  });
}
