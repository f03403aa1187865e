import { SharedRecipeSchema } from '@dimetra/contract';
import { parseSharedRecipe } from '@dimetra/core';
import { Router } from 'express';
import type { Connection } from '../db/client.ts';
import { keepRecipe, listRecipes, removeRecipe } from '../db/recipes.ts';
import { body, notFound } from './problems.ts';
import { recipeJsonSchema } from './recipe-schema.ts';

/** Recipes that characters share. A version never changes: who follows it knows what it says. */
export function recipeRoutes({ db }: Connection, announce: (event: object) => void): Router {
  const router = Router();
  router.get('/recipes', async (_request, response) => {
    response.json(await listRecipes(db));
  });
  router.get('/recipes/schema', (_request, response) => {
    response.json(recipeJsonSchema());
  });
  router.post('/recipes', async (request, response) => {
    const { kept, made } = await keepRecipe(db, parseSharedRecipe(body(request, SharedRecipeSchema)));
    if (made) announce({ type: 'recipes' });
    response.status(made ? 201 : 200).json(kept);
  });
  router.delete('/recipes/:id', async (request, response) => {
    if (!(await removeRecipe(db, request.params.id))) throw notFound('This recipe');
    announce({ type: 'recipes' });
    response.status(204).end();
  });
  return router;
}
