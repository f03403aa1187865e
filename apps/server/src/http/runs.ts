import { ProblemError } from '@dimetra/core';
import { type Response, Router } from 'express';
import type { BlobStore } from '../blobs/store.ts';
import type { Connection } from '../db/client.ts';
import { findDelivery, findRun, listRuns, manifestOfRun, pictureOfRun, reportOfDelivery, stopRun } from '../db/runs.ts';
import { storedBytes } from '../db/storage.ts';
import { listWorkers } from '../db/workers.ts';
import { idOf, notFound, pageOf } from './problems.ts';
import { sendPart } from './sending.ts';

/** A download's name in any script (RFC 6266), with a plain one for who can't read that. */
const attachment = (name: string): string =>
  `attachment; filename="${name.replace(/[^\x20-\x7e]|["\\]/g, '_')}"; filename*=UTF-8''${encodeURIComponent(name)}`;

export function runRoutes({ db }: Connection, blobs: BlobStore, announce: (event: object) => void): Router {
  const router = Router();
  async function sendArchive(response: Response, { bytes, sha256 }: { bytes: number; sha256: string }) {
    response.set({ 'Content-Type': 'application/zip', 'Content-Length': String(bytes) });
    for await (const part of blobs.stream(sha256)) if (!(await sendPart(response, part))) return;
    response.end();
  }
  router.get('/storage', async (_request, response) => {
    response.json(await storedBytes(db));
  });
  router.get('/workers', async (_request, response) => {
    response.json(await listWorkers(db));
  });
  router.get('/runs', async (request, response) => {
    response.json(await listRuns(db, pageOf(request)));
  });
  router.get('/runs/:id', async (request, response) => {
    const row = await findRun(db, idOf(request, 'This run'));
    if (!row) throw notFound('This run');
    response.json(row);
  });
  router.get('/runs/:id/manifest', async (request, response) => {
    const manifest = await manifestOfRun(db, idOf(request, 'This run'));
    if (!manifest) throw notFound("This run's result");
    response.set('Cache-Control', 'private, max-age=31536000, immutable').json(manifest);
  });
  router.get('/runs/:id/picture', async (request, response) => {
    const uri = await pictureOfRun(db, idOf(request, 'This run'), {
      side: request.query.side === 'source' ? 'source' : 'result',
      view: request.query.view === 'head' ? 'head, left' : 'figure, front',
    });
    const [, type, data] = /^data:([\w/]+);base64,(.*)$/.exec(uri ?? '') ?? [];
    if (!data) throw notFound('A picture of this run');
    response.set('Cache-Control', 'private, max-age=31536000, immutable').type(type).send(Buffer.from(data, 'base64'));
  });
  router.post('/runs/:id/cancel', async (request, response) => {
    const id = idOf(request, 'This run');
    await stopRun(db, id);
    announce({ type: 'run', id });
    response.status(202).json({ id });
  });

  router.get('/deliveries/:id/package', async (request, response) => {
    const row = await findDelivery(db, idOf(request, 'This delivery'));
    if (!row) throw notFound('This delivery');
    const blocking = row.checks?.filter((check) => !check.ok && check.blocking) ?? [];
    if (blocking.length)
      throw new ProblemError(
        'delivery.blocked',
        `Not delivered: ${blocking.map((check) => check.message).join(' ')}`,
        blocking[0].station,
      );
    response.set('Content-Disposition', attachment(row.delivery.fileName));
    await sendArchive(response, row.delivery);
  });
  // What is blocked can't be taken away, and can be tried: that shows what is wrong with it.
  router.get('/deliveries/:id/trial', async (request, response) => {
    const row = await findDelivery(db, idOf(request, 'This delivery'));
    if (!row) throw notFound('This delivery');
    // What a delivery holds never changes.
    response.set('Cache-Control', 'private, max-age=31536000, immutable');
    await sendArchive(response, row.delivery);
  });
  router.get('/deliveries/:id/report', async (request, response) => {
    const report = await reportOfDelivery(db, idOf(request, 'This delivery'));
    if (report === undefined) throw notFound('This delivery');
    response
      .set(
        'Content-Security-Policy',
        "default-src 'none'; style-src 'unsafe-inline'; img-src data:; frame-ancestors 'self'",
      )
      .type('html')
      .send(report);
  });
  return router;
}
