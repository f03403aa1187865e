import { FigureSchema, LearnFigureSchema, RememberFigureSchema } from '@dimetra/contract';
import {
  correctFigureRoles,
  figureByNames,
  packFigure,
  ProblemError,
  SHIPPED_FIGURES,
  unpackFigure,
  type Figure,
} from '@dimetra/core';
import { sha256, shippedBody } from '@dimetra/platform';
import { Router } from 'express';
import type { BlobStore } from '../blobs/store.ts';
import { arrivalId } from '../blobs/sweep.ts';
import type { Connection } from '../db/client.ts';
import { latestNamed } from '../db/revisions.ts';
import { addFigure, listOwnFigures, removeFigure, saveFigure, userOfFigure } from '../db/targets.ts';
import { body, notFound } from './problems.ts';
import { receiveFiles, type UploadLimits } from './uploads.ts';

/** Learns a figure from a stored revision; off the server's own thread. */
export type LearnFigure = (
  revisionId: string,
  name: { id: string; title: string },
  withSkin: boolean,
) => Promise<Figure>;

/** Every figure there is: those that ship, then those learned or imported here. */
export async function allFigures({ db }: Connection): Promise<Figure[]> {
  return [...SHIPPED_FIGURES, ...(await listOwnFigures(db))];
}

/** A figure with its skin takes a few megabytes. */
const MOST_BYTES = 64 * 1024 ** 2;

const idFrom = (title: string): string =>
  title
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .slice(0, 56) || 'figure';

export function figureRoutes(
  connection: Connection,
  blobs: BlobStore,
  learn: LearnFigure,
  limits: UploadLimits,
  announce: (event: object) => void,
): Router {
  const { db } = connection;
  const router = Router();
  const refuseTaken = async (id: string) => {
    if ((await allFigures(connection)).some((entry) => entry.id === id))
      throw new ProblemError('conflict', `There is a figure “${id}” already. Choose another title or id.`, 'id');
  };
  const keep = async (data: Figure) => {
    await refuseTaken(data.id);
    await refuseMissing(data);
    await addFigure(db, data);
    announce({ type: 'targets' });
    return { ...data, shipped: false };
  };
  /** A figure may name a skin that is here: its own, or one of a figure that it was copied from. */
  const bodyOf = async ({ body }: Figure) => body && ((await shippedBody(body.file)) ?? (await blobs.read(body.file)));
  const refuseMissing = async (data: Figure) => {
    if (!data.body) return;
    const bytes = await bodyOf(data);
    if (!bytes)
      throw new ProblemError(
        'figure.no-body',
        `The skin of ${data.title} is not here. Take the figure in as an archive, with its skin, or leave its skin out.`,
        'body',
      );
    await blobs.keep(`figure:${data.id}`, [[data.body.file, bytes]], 'model/gltf-binary');
  };
  const isShipped = (id: string) => SHIPPED_FIGURES.some((entry) => entry.id === id);
  const replace = async (data: Figure) => {
    if (!(await saveFigure(db, data))) throw notFound('This figure');
    announce({ type: 'targets' });
    return { ...data, shipped: false };
  };
  const latestOf = async (characterId: string) => {
    const row = await latestNamed(db, characterId);
    if (!row) throw notFound('This character');
    return row;
  };
  router.get('/figures', async (_request, response) => {
    const shipped = new Set(SHIPPED_FIGURES.map((entry) => entry.id));
    response.json((await allFigures(connection)).map((entry) => ({ ...entry, shipped: shipped.has(entry.id) })));
  });
  router.post('/figures', async (request, response) => {
    response.status(201).json(await keep(body(request, FigureSchema)));
  });
  router.post('/figures/learn', async (request, response) => {
    const { characterId, title } = body(request, LearnFigureSchema);
    const id = idFrom(title),
      { id: revisionId } = await latestOf(characterId);
    await refuseTaken(id);
    response.status(201).json(await keep(await learn(revisionId, { id, title }, true)));
  });
  router.get('/figures/:id/archive', async (request, response) => {
    const figure = (await allFigures(connection)).find(({ id }) => id === request.params.id);
    if (!figure) throw notFound('This figure');
    const bytes = (await bodyOf(figure)) ?? null;
    response
      .setHeader('Content-Type', 'application/zip')
      .setHeader('Content-Disposition', `attachment; filename="${figure.id}.zip"`)
      .end(Buffer.from(packFigure({ figure: bytes ? figure : { ...figure, body: undefined }, bytes })));
  });
  router.post('/figures/archive', async (request, response) => {
    const owner = arrivalId();
    try {
      const [file] = await receiveFiles(request, blobs, owner, {
          files: 1,
          totalBytes: Math.min(limits.totalBytes, MOST_BYTES),
        }),
        { figure, bytes } = await unpackFigure((await blobs.read(file.sha256)) ?? new Uint8Array(0), file.path, sha256);
      await refuseTaken(figure.id);
      if (figure.body && bytes)
        await blobs.keep(`figure:${figure.id}`, [[figure.body.file, bytes]], 'model/gltf-binary');
      response.status(201).json(await keep(figure));
    } finally {
      await blobs.release(owner).catch(() => {});
    }
  });
  router.post('/figures/remember', async (request, response) => {
    const { characterId, roles } = body(request, RememberFigureSchema),
      row = await latestOf(characterId);
    // What was learned or remembered before stands above what ships: the next arrival with these names is like it.
    const own = (await allFigures(connection)).filter((entry) => !isShipped(entry.id)),
      known = figureByNames(
        row.summary.joints.map((joint) => joint.name),
        own,
      );
    if (known) {
      response.json(await replace(correctFigureRoles(known, roles)));
      return;
    }
    const taken = new Set((await allFigures(connection)).map((entry) => entry.id)),
      title = `${row.name.slice(0, 70)} figure`;
    let id = idFrom(title);
    for (let n = 2; taken.has(id); n++) id = `${idFrom(title)}-${n}`;
    response.status(201).json(await keep(correctFigureRoles(await learn(row.id, { id, title }, false), roles)));
  });
  router.put('/figures/:id', async (request, response) => {
    const data = body(request, FigureSchema);
    if (data.id !== request.params.id)
      throw new ProblemError(
        'conflict',
        `The address names the figure “${request.params.id}”, its contents “${data.id}”.`,
        'id',
      );
    if (isShipped(data.id))
      throw new ProblemError('conflict', "A figure that ships with Dimetra can't be changed; make a copy of it.", 'id');
    response.json(await replace(data));
  });
  router.delete('/figures/:id', async (request, response) => {
    if (isShipped(request.params.id))
      throw new ProblemError('conflict', "A figure that ships with Dimetra can't be removed.");
    const user = await userOfFigure(db, request.params.id);
    if (user)
      throw new ProblemError(
        'conflict',
        `The target “${user.data.title}” uses this figure. Choose another for it first.`,
        user.id,
      );
    await removeFigure(db, request.params.id);
    announce({ type: 'targets' });
    response.status(204).end();
  });
  return router;
}
