import { FigureSchema, LearnFigureSchema, RememberFigureSchema } from '@dimetra/contract';
import { correctFigureRoles, figureByNames, ProblemError, SHIPPED_FIGURES, type Figure } from '@dimetra/core';
import { Router } from 'express';
import type { Connection } from '../db/client.ts';
import { latestNamed } from '../db/revisions.ts';
import { addFigure, listOwnFigures, removeFigure, saveFigure, userOfFigure } from '../db/targets.ts';
import { body, notFound } from './problems.ts';

/** Learns a figure from a stored revision; off the server's own thread. */
export type LearnFigure = (revisionId: string, name: { id: string; title: string }) => Promise<Figure>;

/** Every figure there is: those that ship, then those learned or imported here. */
export async function allFigures({ db }: Connection): Promise<Figure[]> {
  return [...SHIPPED_FIGURES, ...(await listOwnFigures(db))];
}

const idFrom = (title: string): string =>
  title
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .slice(0, 56) || 'figure';

export function figureRoutes(connection: Connection, learn: LearnFigure, announce: (event: object) => void): Router {
  const { db } = connection;
  const router = Router();
  const keep = async (data: Figure) => {
    const taken = new Set((await allFigures(connection)).map((entry) => entry.id));
    if (taken.has(data.id))
      throw new ProblemError('conflict', `There is a figure “${data.id}” already. Choose another title or id.`, 'id');
    await addFigure(db, data);
    announce({ type: 'targets' });
    return { ...data, shipped: false };
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
    response.status(201).json(await keep(await learn((await latestOf(characterId)).id, { id: idFrom(title), title })));
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
    response.status(201).json(await keep(correctFigureRoles(await learn(row.id, { id, title }), roles)));
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
