import { and, eq, inArray, lt, or, isNull, sql } from 'drizzle-orm';
import PgBoss from 'pg-boss';
import { Piscina } from 'piscina';
import { sweep as sweepStore } from '../blobs/sweep.ts';
import { connect, persistently } from '../db/client.ts';
import { run } from '../db/schema.ts';
import {
  enterWorker,
  heardFrom,
  leaveWorker,
  NotThisProgram,
  refuseOtherProgram,
  SILENT_SECONDS,
} from '../db/workers.ts';
import { programStamp } from './program.ts';
import type { ThreadTask } from './thread.ts';

export const QUEUE = 'convert';
const HEARTBEAT_MS = 2000;
/** A queued run that nobody took for this long is called out again: it may only be waiting its turn, which does no harm. */
const LOST_SECONDS = 30;

/** Heap of one thread: a character of hundreds of thousands of triangles takes a tenth of it; what takes more ends alone, not with the whole process. */
export const THREAD_LIMITS = { maxOldGenerationSizeMb: 4096 };

export interface WorkerOptions {
  url: string;
  /** What it is called where workers are listed. */
  name: string;
  /** Runs at once. */
  threads: number;
  /** Heap of each, MB. */
  memoryMb?: number;
  threadFile: string;
  /** Told once the server of the database has become another program, nothing more is taken, and what was taken is done. */
  onRefused?(reason: string): void;
}

/** A thread that ran out of its memory was ended by the engine. */
export const outOfMemory = (error: unknown): boolean =>
  (error as { code?: string } | null)?.code === 'ERR_WORKER_OUT_OF_MEMORY';

/**
 * Takes runs from the queue and carries them out in threads until told to stop.
 * @throws NotThisProgram where the database's server is another one
 */
export async function startWorker(options: WorkerOptions): Promise<() => Promise<void>> {
  const { url, name, threads, memoryMb = THREAD_LIMITS.maxOldGenerationSizeMb } = options,
    stamp = programStamp();
  const connection = connect(url, 4);
  const { db } = connection;
  try {
    await refuseOtherProgram(db, stamp);
  } catch (error) {
    await connection.close().catch(() => {});
    throw error;
  }
  const workerId = await enterWorker(db, { name, pid: process.pid, threads, memoryMb });
  const boss = new PgBoss({ connectionString: url, max: 3 });
  boss.on('error', () => {});
  await boss.start();
  await boss.createQueue(QUEUE);
  const pool = new Piscina({
    filename: options.threadFile,
    minThreads: 0,
    maxThreads: threads,
    idleTimeout: 30_000,
    resourceLimits: { maxOldGenerationSizeMb: memoryMb },
  });
  const running = new Map<string, Int32Array>();

  const take = async (runId: string): Promise<void> => {
    // The state changes in one statement, so that two workers never carry out the same run.
    const taken = await persistently(() =>
      db
        .update(run)
        .set({
          state: 'running',
          workerId,
          heartbeatAt: new Date(),
          startedAt: sql`coalesce(${run.startedAt}, now())`,
          attempts: sql`${run.attempts} + 1`,
        })
        .where(
          and(
            eq(run.id, runId),
            or(
              eq(run.state, 'queued'),
              and(
                eq(run.state, 'running'),
                or(isNull(run.heartbeatAt), lt(run.heartbeatAt, sql`now() - make_interval(secs => ${SILENT_SECONDS})`)),
              ),
            ),
          ),
        )
        .returning({ id: run.id, attempts: run.attempts }),
    );
    if (!taken.length || running.has(runId)) return;
    if (taken[0].attempts > 4) {
      await db
        .update(run)
        .set({
          state: 'failed',
          manifest: null,
          result: null,
          finishedAt: new Date(),
          error: {
            code: 'run.worker-died',
            message:
              'The worker died four times on this run. The character may need more memory than this machine has.',
          },
        })
        .where(eq(run.id, runId));
      return;
    }
    const stop = new SharedArrayBuffer(4);
    running.set(runId, new Int32Array(stop));
    try {
      await pool.run({ kind: 'convert', url, runId, stop } satisfies ThreadTask);
    } catch (error) {
      if (!outOfMemory(error)) throw error;
      // Trying again would end the same way.
      await persistently(() =>
        db
          .update(run)
          .set({
            state: 'failed',
            message: '',
            manifest: null,
            result: null,
            finishedAt: new Date(),
            error: {
              code: 'run.memory',
              message:
                'The run needed more memory than one character is given. Reduce the character or leave parts out, and run it again.',
            },
          })
          .where(eq(run.id, runId)),
      );
      await db.execute(sql`select pg_notify('dimetra', ${JSON.stringify({ type: 'run', id: runId })})`);
    } finally {
      running.delete(runId);
    }
  };

  // One place in line for each thread: a short run doesn't wait for a long one that was taken with it.
  for (let thread = 0; thread < threads; thread++)
    await boss.work<{ runId: string }>(QUEUE, { batchSize: 1, pollingIntervalSeconds: 0.5 }, async ([job]) => {
      await take(job.data.runId);
    });

  let refused: string | null = null,
    told = false;
  const lookWhoseProgram = async (): Promise<void> => {
    if (refused === null)
      try {
        await refuseOtherProgram(db, stamp);
        return;
      } catch (error) {
        if (!(error instanceof NotThisProgram)) throw error;
        refused = error.message;
        await boss.offWork(QUEUE);
      }
    if (running.size || told) return;
    told = true;
    options.onRefused?.(refused);
  };
  const beat = setInterval(async () => {
    try {
      await heardFrom(db, workerId);
      await lookWhoseProgram();
      const ids = [...running.keys()];
      if (ids.length) {
        const rows = await db
          .update(run)
          .set({ heartbeatAt: new Date() })
          .where(inArray(run.id, ids))
          .returning({ id: run.id, state: run.state });
        for (const row of rows)
          if (row.state === 'cancelling') {
            const flag = running.get(row.id);
            if (flag) Atomics.store(flag, 0, 1);
          }
      }
      // Runs whose worker is silent, and those whose wake-up was lost.
      const silent = await db
        .select({ id: run.id })
        .from(run)
        .where(
          or(
            and(eq(run.state, 'running'), lt(run.heartbeatAt, sql`now() - make_interval(secs => ${SILENT_SECONDS})`)),
            and(eq(run.state, 'queued'), lt(run.createdAt, sql`now() - make_interval(secs => ${LOST_SECONDS})`)),
          ),
        );
      for (const row of silent)
        if (!running.has(row.id))
          await boss.send(QUEUE, { runId: row.id }, { singletonKey: row.id, singletonSeconds: SILENT_SECONDS });
      await db
        .update(run)
        .set({ state: 'cancelled', manifest: null, result: null, finishedAt: new Date() })
        .where(
          and(
            eq(run.state, 'cancelling'),
            or(isNull(run.heartbeatAt), lt(run.heartbeatAt, sql`now() - make_interval(secs => ${SILENT_SECONDS})`)),
          ),
        );
    } catch {
      /* the database is away; the next beat tries again */
    }
  }, HEARTBEAT_MS);
  const keepGb = Number(process.env.DIMETRA_KEEP_GB),
    sweep = setInterval(() => {
      sweepStore(db, keepGb > 0 ? { keepResultsBytes: keepGb * 1024 ** 3 } : {}).catch(() => {});
    }, 15 * 60_000);

  return async () => {
    clearInterval(beat);
    clearInterval(sweep);
    await leaveWorker(db, workerId).catch(() => {});
    await boss.stop({ graceful: false, timeout: 1000 }).catch(() => {});
    await pool.destroy();
    await connection.close().catch(() => {});
  };
}
