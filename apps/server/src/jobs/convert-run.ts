import type { StepSummary } from '@dimetra/contract';
import { look } from '@dimetra/eyes';
import {
  AbortedError,
  convert,
  createGltfIO,
  fileNameOf,
  piecesOf,
  ProblemError,
  unpackDocument,
  type Station,
  type StepStore,
  type StopSignal,
} from '@dimetra/core';
import { createRunCodec, sha256, shippedBody, startAside } from '@dimetra/platform';
import { and, eq, sql } from 'drizzle-orm';
import * as v from 'valibot';
import { BlobStore } from '../blobs/store.ts';
import { persistently, type Connection } from '../db/client.ts';
import { findRecipe } from '../db/recipes.ts';
import { character, conclusion, conversion, delivery, revision, run, stepResult } from '../db/schema.ts';

type Manifest = Parameters<typeof unpackDocument>[1];
const PROGRESS_EVERY_MS = 250;

/** Carries out one queued run from its first step that isn't known yet to its delivery. Runs in a worker thread. */
export async function convertRun(connection: Connection, runId: string, signal: StopSignal): Promise<void> {
  const { db } = connection;
  const blobs = new BlobStore(db);
  const [job] = await persistently(() =>
    db
      .select()
      .from(run)
      .innerJoin(revision, eq(run.revisionId, revision.id))
      .innerJoin(conversion, eq(run.conversionId, conversion.id))
      .innerJoin(character, eq(conversion.characterId, character.id))
      .where(eq(run.id, runId)),
  );
  if (!job) return;
  const say = (event: object) =>
      db.execute(sql`select pg_notify('dimetra', ${JSON.stringify({ id: runId, ...event })})`),
    announce = () => say({ type: 'run' }),
    announceStep = () => say({ type: 'run', steps: true });
  // Whoever takes a run over raises its attempts: from then on what is written here finds no row.
  const mine = and(eq(run.id, runId), eq(run.attempts, job.run.attempts)),
    writeOnce = async (values: Partial<typeof run.$inferInsert>) => {
      const rows = await db.update(run).set(values).where(mine).returning({ id: run.id });
      takenOver ||= !rows.length;
    },
    write = (values: Partial<typeof run.$inferInsert>) => persistently(() => writeOnce(values));
  let takenOver = false,
    last = 0,
    lastStation: Station | undefined;
  const saveProgress = (progress: number, message: string, station: Station | null) =>
    // Where the database is away the next one does.
    writeOnce({ progress, message: message.slice(0, 500), station })
      .then(() => say({ type: 'progress', conversionId: job.run.conversionId, progress, message, station }))
      .catch(() => {});
  const steps: StepSummary[] = [];
  try {
    const source = job.revision.manifest as unknown as Manifest;
    const store = stepStore(connection, blobs, job.character.id);
    let opened: Promise<Awaited<ReturnType<typeof unpackDocument>>> | null = null;
    const openManifest = async (manifest: Manifest) => {
      const pieces = await store.piece(piecesOf(manifest));
      return unpackDocument(await createGltfIO(), manifest, (hash) => pieces.get(hash));
    };
    const done = await convert({
      name: job.character.name,
      source: {
        manifest: source,
        document: () => (opened ??= openManifest(source)),
        release() {
          opened = null;
        },
      },
      target: job.run.target,
      recipe: job.run.recipe,
      decided: {
        ...(job.run.by && { by: job.run.by }),
        follows: job.run.follows && ((await findRecipe(db, job.run.follows)) ?? null),
      },
      created: job.run.createdAt.toISOString().slice(0, 10),
      store,
      eyes: look,
      aside: startAside,
      context: {
        images: createRunCodec(),
        hash: sha256,
        signal: {
          get aborted() {
            return takenOver || signal.aborted;
          },
        },
        log: () => {},
        async character(id) {
          const [other] = v.is(v.pipe(v.string(), v.uuid()), id)
            ? await persistently(() =>
                db
                  .select()
                  .from(revision)
                  .innerJoin(character, eq(revision.characterId, character.id))
                  .where(eq(revision.id, id)),
              )
            : [];
          if (!other) throw new Error('it is not here any more');
          return {
            document: await openManifest(other.revision.manifest as unknown as Manifest),
            name: other.character.name,
          };
        },
        // The skin of a figure: of one that ships, or of one that was learned here.
        piece: async (hash) =>
          (await shippedBody(hash)) ?? (await persistently(() => blobs.readMany([hash]))).get(hash) ?? null,
        progress(fraction, message, station) {
          const now = Date.now();
          if (now - last > PROGRESS_EVERY_MS || station !== lastStation) {
            last = now;
            lastStation = station;
            void saveProgress(fraction, message, station ?? null);
          }
        },
      },
      async onStep(step) {
        steps.push(step);
        await write({ steps });
        await persistently(announceStep);
      },
      // On the stage it can be looked at while it is being measured.
      async onResult({ manifest }, result) {
        await persistently(() => blobs.refer(`run:${runId}`, piecesOf(manifest)));
        await write({ manifest: manifest as unknown as Record<string, unknown>, result });
        await persistently(announceStep);
      },
    });
    if (!done.kept) throw new Error('a run keeps what it made');
    const { archive, manifest } = done.kept;
    await persistently(() => blobs.refer(`run:${runId}`, [archive.sha256, ...piecesOf(manifest)]));
    await persistently(() =>
      db.transaction(async (tx) => {
        const rows = await tx
          .update(run)
          .set({
            state: 'done',
            progress: 1,
            message: '',
            station: null,
            steps,
            manifest: manifest as unknown as Record<string, unknown>,
            result: done.report.result,
            checks: done.report.checks,
            parity: done.report.parity,
            finishedAt: new Date(),
          })
          .where(mine)
          .returning({ id: run.id });
        if (!rows.length) return;
        // A package is kept even where a rule blocks, marked by the checks, so that it can be looked at; only a clean one is offered.
        await tx
          .insert(delivery)
          .values({
            runId,
            fileName: `${fileNameOf(job.character.name)}-${job.run.target.id}.zip`,
            sha256: archive.sha256,
            bytes: archive.bytes,
            files: done.sealed.files,
            report: done.html,
          })
          .onConflictDoNothing();
      }),
    );
  } catch (error) {
    const stopped = error instanceof AbortedError;
    const problem =
      error instanceof ProblemError
        ? error.toJSON()
        : {
            code: 'internal',
            message: `The run stopped on an error inside Dimetra: ${(error as Error).message.replace(/\nparams:[\s\S]*/, '').slice(0, 300)}. What was finished is kept; run again.`,
          };
    await write({
      state: stopped ? 'cancelled' : 'failed',
      error: stopped ? null : problem,
      message: '',
      station: null,
      manifest: null,
      result: null,
      finishedAt: new Date(),
    });
  }
  await persistently(announce);
}

/** Step results in the database: pieces first, then the row that names them, and that this character has use for it. */
function stepStore(connection: Connection, blobs: BlobStore, characterId: string): StepStore {
  const { db } = connection;
  // A character that was deleted meanwhile has use for nothing.
  const use = (key: string) =>
    db.execute(
      sql`insert into kept_use (key, character_id) select ${key}, id from character where id = ${characterId} on conflict (key, character_id) do update set used_at = now()`,
    );
  return {
    async get(key) {
      const [row] = await persistently(() => db.select().from(stepResult).where(eq(stepResult.key, key)));
      if (!row) return null;
      await persistently(() => use(key));
      return { ...row.data, manifest: row.manifest } as unknown as Awaited<ReturnType<StepStore['get']>>;
    },
    async put({ manifest, cached: _c, seconds: _s, ...data }, pieces) {
      await persistently(() => blobs.keep(`step:${data.key}`, pieces, 'application/octet-stream'));
      await persistently(() =>
        db
          .insert(stepResult)
          .values({ key: data.key, data, manifest: manifest as unknown as Record<string, unknown> })
          .onConflictDoNothing(),
      );
      await persistently(() => use(data.key));
    },
    piece: (hashes) => persistently(() => blobs.readMany(hashes)),
    async recall(key) {
      const [row] = await persistently(() =>
        db.select({ data: conclusion.data }).from(conclusion).where(eq(conclusion.key, key)),
      );
      if (row) await persistently(() => use(key));
      return row?.data ?? null;
    },
    async remember(key, value, pieces) {
      await persistently(() => blobs.keep(`conclusion:${key}`, pieces, 'application/zip'));
      await persistently(() =>
        db
          .insert(conclusion)
          .values({ key, data: value as Record<string, unknown> })
          .onConflictDoNothing(),
      );
      await persistently(() => use(key));
    },
  };
}
