import { TargetSchema } from '@dimetra/contract';
import { parseTarget, ProblemError } from '@dimetra/core';
import { Router } from 'express';
import type { Connection } from '../db/client.ts';
import { addTarget, findTarget, listTargets, removeTarget, saveTarget } from '../db/targets.ts';
import { body, notFound } from './problems.ts';

export function targetRoutes({ db }: Connection, announce: (event: object) => void): Router {
  const router = Router();
  router.get('/targets', async (_request, response) => {
    response.json((await listTargets(db)).map((row) => ({ ...parseTarget(row.data), shipped: row.shipped })));
  });
  router.post('/targets', async (request, response) => {
    const data = body(request, TargetSchema);
    if (!(await addTarget(db, data)))
      throw new ProblemError('conflict', `There is a target “${data.id}” already. Choose another id.`, 'id');
    announce({ type: 'targets' });
    response.status(201).json({ ...data, shipped: false });
  });
  router.put('/targets/:id', async (request, response) => {
    const row = await saveTarget(db, parseTarget({ ...request.body, id: request.params.id }));
    if (!row) throw notFound('This target');
    announce({ type: 'targets' });
    response.json({ ...row.data, shipped: row.shipped });
  });
  router.delete('/targets/:id', async (request, response) => {
    const { id } = request.params;
    if ((await findTarget(db, id))?.shipped)
      throw new ProblemError('conflict', 'A shipped target can be edited, not removed.');
    await removeTarget(db, id);
    announce({ type: 'targets' });
    response.status(204).end();
  });
  return router;
}
