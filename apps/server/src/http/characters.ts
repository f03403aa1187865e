import { RenameSchema } from '@dimetra/contract';
import { ProblemError, sourceChanges, verdictOf, worstOf } from '@dimetra/core';
import { sha256 } from '@dimetra/platform';
import { raw, Router } from 'express';
import type { BlobStore } from '../blobs/store.ts';
import {
  addArrived,
  findByName,
  findCharacter,
  firstProduction,
  latestStates,
  listCharacters,
  removeCharacter,
  renameCharacter,
  setPicture,
} from '../db/characters.ts';
import type { Connection } from '../db/client.ts';
import { latestShown, manifestOfRevision, revisionBefore } from '../db/revisions.ts';
import type { ReadFiles } from '../demo.ts';
import { receiveFiles, type UploadLimits } from './uploads.ts';
import { body, idOf, notFound } from './problems.ts';

export function characterRoutes(
  { db }: Connection,
  blobs: BlobStore,
  read: ReadFiles,
  limits: UploadLimits,
  announce: (event: object) => void,
): Router {
  const router = Router();

  router.get('/production', async (_request, response) => {
    response.json(await firstProduction(db));
  });

  router.get('/characters', async (_request, response) => {
    const [rows, states] = [await listCharacters(db), await latestStates(db)];
    response.json(
      rows.map((row) => ({
        ...row,
        conversions: states
          .filter((state) => state.character_id === row.id)
          .map((state) => ({
            id: state.conversion_id,
            targetId: state.target_id,
            state: state.state,
            verdict: state.checks && verdictOf(state.checks),
            runId: state.run_id,
            progress: state.progress,
            problem: state.problem,
            worst: state.checks && worstOf(state.checks),
          })),
      })),
    );
  });

  router.post('/characters', async (request, response) => {
    const owner = `upload:${crypto.randomUUID()}`;
    try {
      const files = await receiveFiles(request, blobs, owner, limits),
        { characters, failed } = await read(files, owner),
        made = await addArrived(db, files, characters);
      announce({ type: 'characters' });
      response.status(201).json({ ...made[0], others: made.slice(1), failed });
    } finally {
      await blobs.release(owner).catch(() => {});
    }
  });

  router.get('/characters/:id', async (request, response) => {
    const id = idOf(request, 'This character'),
      row = await findCharacter(db, id);
    if (!row) throw notFound('This character');
    const shown = await latestShown(db, id),
      before = shown && (await revisionBefore(db, id, shown.number));
    response.json({
      ...row,
      revision: {
        ...shown,
        before: before
          ? {
              id: before.id,
              number: before.number,
              createdAt: before.createdAt,
              changes: sourceChanges(before.summary, shown.summary),
            }
          : null,
      },
    });
  });
  router.patch('/characters/:id', async (request, response) => {
    const { name } = body(request, RenameSchema),
      id = idOf(request, 'This character'),
      other = await findByName(db, name);
    if (other && other.id !== id)
      throw new ProblemError('conflict', `Another character is called “${name}” already.`, 'name');
    const row = await renameCharacter(db, id, name);
    if (!row) throw notFound('This character');
    announce({ type: 'characters' });
    response.json(row);
  });
  router.delete('/characters/:id', async (request, response) => {
    for (const owner of await removeCharacter(db, idOf(request, 'This character'))) await blobs.release(owner);
    announce({ type: 'characters' });
    response.status(204).end();
  });

  router.put('/characters/:id/picture', raw({ type: 'image/png', limit: '4mb' }), async (request, response) => {
    const id = idOf(request, 'This character');
    const bytes = Buffer.isBuffer(request.body) ? new Uint8Array(request.body) : new Uint8Array(0);
    if (bytes.length < 8 || bytes[0] !== 0x89 || bytes[1] !== 0x50)
      throw new ProblemError('picture.not-png', 'A picture must be a PNG image.');
    const hash = sha256(bytes);
    await blobs.release(`picture:${id}`);
    await blobs.keep(`picture:${id}`, [[hash, bytes]], 'image/png');
    if (!(await setPicture(db, id, hash))) {
      await blobs.release(`picture:${id}`);
      throw notFound('This character');
    }
    response.status(204).end();
  });
  router.get('/characters/:id/picture', async (request, response) => {
    const row = await findCharacter(db, idOf(request, 'This character')),
      bytes = row?.picture ? await blobs.read(row.picture) : null;
    if (!bytes) throw notFound('This picture');
    response.set('Cache-Control', 'private, max-age=31536000, immutable').type('png').send(Buffer.from(bytes));
  });

  router.get('/revisions/:id/manifest', async (request, response) => {
    const manifest = await manifestOfRevision(db, idOf(request, 'This revision'));
    if (!manifest) throw notFound('This revision');
    response.set('Cache-Control', 'private, max-age=31536000, immutable').json(manifest);
  });
  return router;
}
