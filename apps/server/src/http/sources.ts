import { type Carried, ProblemError, sourceChanges } from '@dimetra/core';
import { Router } from 'express';
import type { BlobStore } from '../blobs/store.ts';
import { findCharacter } from '../db/characters.ts';
import type { Connection } from '../db/client.ts';
import { carryRecipes } from '../db/conversions.ts';
import { addRevision, latestRevision } from '../db/revisions.ts';
import type { ReadFiles } from '../demo.ts';
import { idOf, notFound } from './problems.ts';
import { receiveFiles, type UploadLimits } from './uploads.ts';

/** A new version of a character's files makes a revision; what was decided for the character goes with it. */
export function sourceRoutes(
  { db }: Connection,
  blobs: BlobStore,
  read: ReadFiles,
  limits: UploadLimits,
  announce: (event: object) => void,
): Router {
  const router = Router();
  router.post('/characters/:id/source', async (request, response) => {
    const id = idOf(request, 'This character'),
      row = await findCharacter(db, id),
      now = row && (await latestRevision(db, id));
    if (!row || !now) throw notFound('This character');
    const owner = `upload:${crypto.randomUUID()}`;
    try {
      const files = await receiveFiles(request, blobs, owner, limits),
        { characters, failed } = await read(files, owner),
        [found, ...others] = characters;
      if (!found)
        throw new ProblemError(
          'source.unreadable',
          failed[0]?.message ?? 'These files hold no character. Bring the model with what belongs to it.',
          failed[0]?.path,
        );
      if (others.length)
        throw new ProblemError(
          'source.several',
          `These files hold ${characters.length} characters (${characters.map(({ name }) => `“${name}”`).join(', ')}). Bring in the one that ${row.name} is.`,
        );
      const summary = { ...found.summary, name: row.name },
        changes = sourceChanges(now.summary, summary);
      let carried: { targetId: string; carried: Carried[] }[] = [];
      const made = await addRevision(
        db,
        id,
        now.number,
        {
          files: files.map((file) => ({ ...file, used: found.used.includes(file.path) })),
          manifest: found.manifest,
          summary,
          findings: found.findings,
        },
        { hashes: [...new Set([...found.pieces, ...files.map((file) => file.sha256)])] },
        async (tx) => {
          carried = await carryRecipes(tx, id, changes);
        },
      );
      announce({ type: 'characters' });
      response.status(201).json({ revisionId: made.id, number: made.number, before: now.id, changes, carried });
    } finally {
      await blobs.release(owner).catch(() => {});
    }
  });
  return router;
}
