import {
  defaultRecipe,
  parseRecipe,
  parseTarget,
  ProblemError,
  refuseTurnedTies,
  withFigure,
  type Recipe,
} from '@dimetra/core';
import { and, desc, eq, inArray, sql } from 'drizzle-orm';
import { Router } from 'express';
import type PgBoss from 'pg-boss';
import type { BlobStore } from '../blobs/store.ts';
import type { Connection } from '../db/client.ts';
import { character, conversion, delivery, revision, run, target } from '../db/schema.ts';
import { QUEUE } from '../jobs/worker.ts';
import { allFigures } from './figures.ts';
import { body, idOf, notFound, pageOf } from './problems.ts';
import { NewConversionSchema, SaveRecipeSchema, TargetSchema } from './schemas.ts';
import { sendPart } from './sending.ts';

/** A download's name in any script (RFC 6266), with a plain one for who can't read that. */
const attachment = (name: string): string =>
  `attachment; filename="${name.replace(/[^\x20-\x7e]|["\\]/g, '_')}"; filename*=UTF-8''${encodeURIComponent(name)}`;

/** What is known to end badly is refused before it is kept. @throws ProblemError skeleton.tie-order */
async function refuseWhatCantRun(connection: Connection, conversionId: string, recipe: Recipe): Promise<void> {
  const ties = recipe.steps.find((step) => step.id === 'skeleton.remap')?.settings.ties as
    | Record<string, string>
    | undefined;
  if (!ties || !Object.keys(ties).length) return;
  const [row] = await connection.db
    .select({ target: target.data, summary: revision.summary })
    .from(conversion)
    .innerJoin(target, eq(conversion.targetId, target.id))
    .innerJoin(revision, eq(revision.characterId, conversion.characterId))
    .where(eq(conversion.id, conversionId))
    .orderBy(desc(revision.number))
    .limit(1);
  if (row)
    refuseTurnedTies(row.summary.joints, ties, withFigure(parseTarget(row.target), await allFigures(connection)));
}

export function conversionRoutes(
  connection: Connection,
  blobs: BlobStore,
  boss: PgBoss,
  announce: (event: object) => void,
): Router {
  const { db } = connection;
  const router = Router();
  const listed = {
    id: run.id,
    conversionId: run.conversionId,
    revisionId: run.revisionId,
    state: run.state,
    progress: run.progress,
    message: run.message,
    error: run.error,
    steps: run.steps,
    checks: run.checks,
    createdAt: run.createdAt,
    startedAt: run.startedAt,
    finishedAt: run.finishedAt,
    attempts: run.attempts,
  };

  router.get('/targets', async (_request, response) => {
    response.json(
      (await db.select().from(target).orderBy(target.createdAt, target.id)).map((row) => ({
        ...parseTarget(row.data),
        shipped: row.shipped,
      })),
    );
  });
  router.post('/targets', async (request, response) => {
    const data = body(request, TargetSchema);
    const made = await db.insert(target).values({ id: data.id, data }).onConflictDoNothing().returning();
    if (!made.length)
      throw new ProblemError('conflict', `There is a target “${data.id}” already. Choose another id.`, 'id');
    announce({ type: 'targets' });
    response.status(201).json({ ...data, shipped: false });
  });
  router.put('/targets/:id', async (request, response) => {
    const data = parseTarget({ ...request.body, id: request.params.id });
    const [row] = await db.update(target).set({ data }).where(eq(target.id, data.id)).returning();
    if (!row) throw notFound('This target');
    announce({ type: 'targets' });
    response.json({ ...row.data, shipped: row.shipped });
  });
  router.delete('/targets/:id', async (request, response) => {
    const [row] = await db.select().from(target).where(eq(target.id, request.params.id));
    if (row?.shipped) throw new ProblemError('conflict', 'A shipped target can be edited, not removed.');
    await db.delete(target).where(eq(target.id, request.params.id));
    announce({ type: 'targets' });
    response.status(204).end();
  });

  /** The conversion of a character for a target; made when it is first asked for. */
  router.post('/conversions', async (request, response) => {
    const wanted = body(request, NewConversionSchema);
    const [known] = await db.select().from(character).where(eq(character.id, wanted.characterId));
    if (!known) throw notFound('This character');
    const [aim] = await db.select().from(target).where(eq(target.id, wanted.targetId));
    if (!aim) throw notFound('This target');
    await db
      .insert(conversion)
      .values({ ...wanted, recipe: defaultRecipe() })
      .onConflictDoNothing();
    const [row] = await db
      .select()
      .from(conversion)
      .where(and(eq(conversion.characterId, wanted.characterId), eq(conversion.targetId, wanted.targetId)));
    response.json(row);
  });
  router.get('/conversions/:id', async (request, response) => {
    const [row] = await db
      .select()
      .from(conversion)
      .where(eq(conversion.id, idOf(request, 'This conversion')));
    if (!row) throw notFound('This conversion');
    response.json(row);
  });
  router.put('/conversions/:id/recipe', async (request, response) => {
    const id = idOf(request, 'This conversion');
    const save = body(request, SaveRecipeSchema);
    const recipe = parseRecipe(save.recipe);
    await refuseWhatCantRun(connection, id, recipe);
    const [row] = await db
      .update(conversion)
      .set({ recipe, version: sql`${conversion.version} + 1`, updatedAt: new Date() })
      .where(and(eq(conversion.id, id), eq(conversion.version, save.version)))
      .returning();
    if (!row)
      throw new ProblemError(
        'conflict',
        'The recipe was changed in another window meanwhile. What is there now has been loaded; make your change again.',
      );
    announce({ type: 'recipe', id, version: row.version });
    response.json(row);
  });

  router.post('/conversions/:id/runs', async (request, response) => {
    const id = idOf(request, 'This conversion');
    const [row] = await db
      .select()
      .from(conversion)
      .innerJoin(target, eq(conversion.targetId, target.id))
      .where(eq(conversion.id, id));
    if (!row) throw notFound('This conversion');
    const [latest] = await db
      .select({ id: revision.id })
      .from(revision)
      .where(eq(revision.characterId, row.conversion.characterId))
      .orderBy(desc(revision.number))
      .limit(1);
    const asked = {
      conversionId: id,
      revisionId: latest.id,
      recipe: row.conversion.recipe,
      target: withFigure(row.target.data, await allFigures(connection)),
    };
    const [made] = await db.insert(run).values(asked).onConflictDoNothing().returning({ id: run.id });
    if (!made) {
      const [active] = await db
        .select({ id: run.id })
        .from(run)
        .where(and(eq(run.conversionId, id), inArray(run.state, ['queued', 'running'])));
      // It may have ended in this very moment: then it is the newest that answers.
      const [newest] = active
        ? [active]
        : await db
            .select({ id: run.id })
            .from(run)
            .where(eq(run.conversionId, id))
            .orderBy(desc(run.createdAt))
            .limit(1);
      response.json({ id: newest.id, already: true });
      return;
    }
    await boss.send(QUEUE, { runId: made.id }, { retryLimit: 3, retryDelay: 2, expireInSeconds: 6 * 3600 });
    announce({ type: 'run', id: made.id });
    response.status(202).json(made);
  });
  router.get('/conversions/:id/runs', async (request, response) => {
    response.json(
      await db
        .select({ ...listed, deliveryId: delivery.id, deliveryBytes: delivery.bytes })
        .from(run)
        .leftJoin(delivery, eq(delivery.runId, run.id))
        .where(eq(run.conversionId, idOf(request, 'This conversion')))
        .orderBy(desc(run.createdAt))
        .limit(20),
    );
  });
  router.get('/runs', async (request, response) => {
    const page = pageOf(request);
    response.json(
      await db
        .select({
          ...listed,
          character: character.name,
          characterId: character.id,
          targetId: conversion.targetId,
          deliveryId: delivery.id,
          deliveryBytes: delivery.bytes,
        })
        .from(run)
        .innerJoin(conversion, eq(run.conversionId, conversion.id))
        .innerJoin(character, eq(conversion.characterId, character.id))
        .leftJoin(delivery, eq(delivery.runId, run.id))
        .orderBy(desc(run.createdAt))
        .limit(50)
        .offset((page - 1) * 50),
    );
  });
  router.get('/runs/:id', async (request, response) => {
    const [row] = await db
      .select({
        ...listed,
        recipe: run.recipe,
        target: run.target,
        result: run.result,
        parity: run.parity,
        deliveryId: delivery.id,
        deliveryBytes: delivery.bytes,
        deliveryFiles: delivery.files,
      })
      .from(run)
      .leftJoin(delivery, eq(delivery.runId, run.id))
      .where(eq(run.id, idOf(request, 'This run')));
    if (!row) throw notFound('This run');
    response.json(row);
  });
  router.get('/runs/:id/manifest', async (request, response) => {
    const [row] = await db
      .select({ manifest: run.manifest })
      .from(run)
      .where(eq(run.id, idOf(request, 'This run')));
    if (!row?.manifest) throw notFound("This run's result");
    response.set('Cache-Control', 'private, max-age=31536000, immutable').json(row.manifest);
  });
  router.post('/runs/:id/cancel', async (request, response) => {
    const id = idOf(request, 'This run');
    await db
      .update(run)
      .set({ state: 'cancelled', finishedAt: new Date() })
      .where(and(eq(run.id, id), eq(run.state, 'queued')));
    await db
      .update(run)
      .set({ state: 'cancelling' })
      .where(and(eq(run.id, id), eq(run.state, 'running')));
    announce({ type: 'run', id });
    response.status(202).json({ id });
  });

  router.get('/deliveries/:id/package', async (request, response) => {
    const [row] = await db
      .select()
      .from(delivery)
      .innerJoin(run, eq(delivery.runId, run.id))
      .where(eq(delivery.id, idOf(request, 'This delivery')));
    if (!row) throw notFound('This delivery');
    const blocking = row.run.checks?.filter((check) => !check.ok && check.blocking) ?? [];
    if (blocking.length)
      throw new ProblemError(
        'delivery.blocked',
        `Not delivered: ${blocking.map((check) => check.message).join(' ')}`,
        blocking[0].station,
      );
    response.set({
      'Content-Type': 'application/zip',
      'Content-Length': String(row.delivery.bytes),
      'Content-Disposition': attachment(row.delivery.fileName),
    });
    for await (const part of blobs.stream(row.delivery.sha256)) if (!(await sendPart(response, part))) return;
    response.end();
  });
  router.get('/deliveries/:id/report', async (request, response) => {
    const [row] = await db
      .select({ report: delivery.report })
      .from(delivery)
      .where(eq(delivery.id, idOf(request, 'This delivery')));
    if (!row) throw notFound('This delivery');
    response
      .set('Content-Security-Policy', "default-src 'none'; style-src 'unsafe-inline'; frame-ancestors 'self'")
      .type('html')
      .send(row.report);
  });
  return router;
}
