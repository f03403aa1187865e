import { TreatmentSchema } from '@dimetra/contract';
import { ProblemError, SHIPPED_TREATMENTS } from '@dimetra/core';
import { Router } from 'express';
import type { Connection } from '../db/client.ts';
import { keepTreatment, listTreatments, removeTreatment } from '../db/treatments.ts';
import { body, notFound } from './problems.ts';

/** Treatments that are kept here for all characters; a recipe takes copies of them, so that a run never changes by itself. */
export function treatmentRoutes({ db }: Connection, announce: (event: object) => void): Router {
  const router = Router();
  router.get('/treatments', async (_request, response) => {
    response.json(await listTreatments(db));
  });
  router.put('/treatments/:id', async (request, response) => {
    const data = body(request, TreatmentSchema);
    if (data.id !== request.params.id)
      throw new ProblemError(
        'conflict',
        `The address names the treatment “${request.params.id}”, its contents “${data.id}”.`,
        'id',
      );
    if (SHIPPED_TREATMENTS.some(({ id }) => id === data.id))
      throw new ProblemError(
        'conflict',
        "A treatment that ships with Dimetra can't be changed; keep a copy under another id.",
        'id',
      );
    await keepTreatment(db, data);
    announce({ type: 'treatments' });
    response.json(data);
  });
  router.delete('/treatments/:id', async (request, response) => {
    if (!(await removeTreatment(db, request.params.id))) throw notFound('This treatment');
    announce({ type: 'treatments' });
    response.status(204).end();
  });
  return router;
}
