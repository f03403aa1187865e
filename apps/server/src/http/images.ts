import { GoBackSchema } from '@dimetra/contract';
import { NAMED_CHANNELS, type NamedChannel, ProblemError, type Slot, sourceChanges } from '@dimetra/core';
import { Router } from 'express';
import type { BlobStore } from '../blobs/store.ts';
import type { Connection } from '../db/client.ts';
import { carryRecipes } from '../db/conversions.ts';
import { addRevision, findRevision, latestRevision } from '../db/revisions.ts';
import type { ImagesAnswer } from '../jobs/images.ts';
import type { ArrivedFile } from '../jobs/intake.ts';
import { body, idOf, notFound } from './problems.ts';
import { receiveFiles, type UploadLimits } from './uploads.ts';

/** Brings images onto a revision; off the server's own thread. */
export type BringImages = (
  revisionId: string,
  files: ArrivedFile[],
  owner: string,
  slot?: Slot,
) => Promise<ImagesAnswer>;

/** Images brought in again make a new revision of their character; going back makes another, so that nothing is lost. */
export function imageRoutes(
  connection: Connection,
  blobs: BlobStore,
  bring: BringImages,
  limits: UploadLimits,
  announce: (event: object) => void,
): Router {
  const { db } = connection,
    router = Router();
  const latestOf = async (characterId: string) => {
    const row = await latestRevision(db, characterId);
    if (!row) throw notFound('This character');
    return row;
  };

  router.post('/characters/:id/images', async (request, response) => {
    const id = idOf(request, 'This character'),
      owner = `upload:${crypto.randomUUID()}`,
      { material, channel } = request.query;
    if (channel !== undefined && !NAMED_CHANNELS.includes(channel as NamedChannel))
      throw new ProblemError('invalid', `There is no channel “${String(channel)}”.`, 'channel');
    const slot =
      typeof material === 'string' && typeof channel === 'string'
        ? { material, channel: channel as NamedChannel }
        : undefined;
    const now = await latestOf(id);
    try {
      const files = await receiveFiles(request, blobs, owner, limits);
      const { placed, result } = await bring(now.id, files, owner, slot);
      if (!placed.replaced.length && !placed.placed.length && !placed.loose.length) {
        response.json({ revisionId: now.id, number: now.number, ...placed });
        return;
      }
      // What arrived first stays named with the character, and its bytes kept, beside what arrived later.
      const arrived = [...now.files, ...files.map((file) => ({ ...file, used: true }))];
      const made = await addRevision(
        db,
        id,
        now.number,
        { files: arrived, manifest: result.manifest, summary: result.summary, findings: result.findings },
        { hashes: [...new Set([...result.pieces, ...arrived.map((file) => file.sha256)])] },
      );
      announce({ type: 'characters' });
      response.status(201).json({ revisionId: made.id, number: made.number, before: now.id, ...placed });
    } finally {
      await blobs.release(owner).catch(() => {});
    }
  });

  router.post('/characters/:id/revisions', async (request, response) => {
    const id = idOf(request, 'This character'),
      { copyOf } = body(request, GoBackSchema),
      now = await latestOf(id);
    const old = await findRevision(db, copyOf);
    if (!old || old.characterId !== id) throw notFound('This revision');
    const made = await addRevision(
      db,
      id,
      now.number,
      { files: old.files, manifest: old.manifest, summary: old.summary, findings: old.findings },
      { owner: `revision:${old.id}` },
      // What was carried to new names goes back with them.
      async (tx) => void (await carryRecipes(tx, id, sourceChanges(now.summary, old.summary))),
    );
    announce({ type: 'characters' });
    response.status(201).json({ revisionId: made.id, number: made.number });
  });
  return router;
}
