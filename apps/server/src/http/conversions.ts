import { NewConversionSchema, SaveRecipeSchema, StartRunSchema } from '@dimetra/contract';
import { parseRecipe, parseTarget, ProblemError, refuseTurnedTies, withFigure, type Recipe } from '@dimetra/core';
import { Router } from 'express';
import { findCharacter } from '../db/characters.ts';
import type { Connection } from '../db/client.ts';
import { conversionOf, conversionWithAim, findConversion, saveRecipe } from '../db/conversions.ts';
import { findRecipe } from '../db/recipes.ts';
import { askForRun, runsOfConversion } from '../db/runs.ts';
import { findTarget } from '../db/targets.ts';
import { allFigures } from './figures.ts';
import { body, idOf, notFound } from './problems.ts';

/** What is known to end badly is refused before it is kept. @throws ProblemError skeleton.tie-order */
async function refuseWhatCantRun(connection: Connection, conversionId: string, recipe: Recipe): Promise<void> {
  const ties = recipe.steps.find((step) => step.id === 'skeleton.remap')?.settings.ties as
    | Record<string, string>
    | undefined;
  if (!ties || !Object.keys(ties).length) return;
  const row = await conversionWithAim(connection.db, conversionId);
  if (row)
    refuseTurnedTies(row.summary.joints, ties, withFigure(parseTarget(row.target), await allFigures(connection)));
}

/** @param queue puts a run that was asked for where workers take it */
export function conversionRoutes(
  connection: Connection,
  queue: (runId: string) => Promise<void>,
  announce: (event: object) => void,
): Router {
  const { db } = connection,
    router = Router();
  /** The conversion of a character for a target; made when it is first asked for. */
  router.post('/conversions', async (request, response) => {
    const wanted = body(request, NewConversionSchema);
    if (!(await findCharacter(db, wanted.characterId))) throw notFound('This character');
    if (!(await findTarget(db, wanted.targetId))) throw notFound('This target');
    response.json(await conversionOf(db, wanted));
  });
  router.get('/conversions/:id', async (request, response) => {
    const row = await findConversion(db, idOf(request, 'This conversion'));
    if (!row) throw notFound('This conversion');
    response.json(row);
  });
  router.put('/conversions/:id/recipe', async (request, response) => {
    const id = idOf(request, 'This conversion'),
      save = body(request, SaveRecipeSchema),
      recipe = parseRecipe(save.recipe);
    await refuseWhatCantRun(connection, id, recipe);
    if (save.follows && !(await findRecipe(db, save.follows)))
      throw new ProblemError(
        'recipe.not-here',
        `There is no version ${save.follows.version} of a recipe “${save.follows.id}” to follow. It was removed, or never kept here.`,
        'follows',
      );
    const row = await saveRecipe(db, id, save.version, recipe, save.follows);
    if (!row)
      throw new ProblemError(
        'conflict',
        'The recipe was changed in another window meanwhile. What is there now has been loaded; make your change again.',
      );
    announce({ type: 'recipe', id, version: row.version });
    response.json(row);
  });

  router.post('/conversions/:id/runs', async (request, response) => {
    const id = idOf(request, 'This conversion'),
      { by } = request.body === undefined ? {} : body(request, StartRunSchema),
      row = await conversionWithAim(db, id);
    if (!row) throw notFound('This conversion');
    const made = await askForRun(db, {
      conversionId: id,
      revisionId: row.revisionId,
      recipe: row.conversion.recipe,
      target: withFigure(row.target, await allFigures(connection)),
      follows: row.conversion.follows,
      by,
    });
    if (!made.already) {
      await queue(made.id);
      announce({ type: 'run', id: made.id });
    }
    response.status(made.already ? 200 : 202).json(made);
  });
  router.get('/conversions/:id/runs', async (request, response) => {
    response.json(await runsOfConversion(db, idOf(request, 'This conversion')));
  });
  return router;
}
