import { type Recipe, type SharedRecipe, takeShared } from '@dimetra/core';
import type { Follows, SharedRecipeRow } from '@dimetra/contract';
import { useState } from 'react';
import { api, sentenceOf } from '../api/api.ts';
import { recipeSettled, useAppDispatch } from '../store/store.ts';

/** Somebody who took a recipe, and what they had before. */
interface Before {
  conversionId: string;
  characterId: string;
  /** Of the recipe that was saved. */
  version: number;
  recipe: Recipe;
  follows: Follows | null;
}

/** The version that somebody follows, where it is a version of this recipe. */
export const followedOf = (row: SharedRecipeRow, follows: Follows | null | undefined): SharedRecipe | null =>
  follows?.id === row.latest.id ? (row.versions.find(({ version }) => version === follows.version) ?? null) : null;

/** Gives a shared recipe to characters, and takes that back. */
export function useTaking(row: SharedRecipeRow, targetId: string, recipes: readonly SharedRecipeRow[]) {
  const dispatch = useAppDispatch(),
    [busy, setBusy] = useState(false),
    [problem, setProblem] = useState<string | null>(null),
    [done, setDone] = useState<readonly Before[]>([]);
  const finish = (failed: readonly string[]) => {
    setBusy(false);
    setProblem(failed.length ? `${failed[0]}${failed.length > 1 ? ` (and ${failed.length - 1} more)` : ''}` : null);
    dispatch(api.util.invalidateTags(['conversion', 'recipes', 'characters']));
  };
  return {
    busy,
    problem,
    done,
    async take(characters: readonly { id: string; name: string }[], keepOwn: boolean) {
      setBusy(true);
      await recipeSettled();
      const before: Before[] = [],
        failed: string[] = [];
      for (const { id, name } of characters) {
        const { data: now, error } = await dispatch(
          api.endpoints.conversion.initiate({ characterId: id, targetId }, { subscribe: false, forceRefetch: true }),
        );
        if (!now) {
          failed.push(`${name}: ${sentenceOf(error)}`);
          continue;
        }
        const { follows } = now,
          their = follows && recipes.find(({ latest }) => latest.id === follows.id),
          { recipe } = takeShared(now.recipe, row.latest, their ? followedOf(their, follows) : null, keepOwn),
          answer = await dispatch(
            api.endpoints.saveRecipe.initiate({
              id: now.id,
              recipe,
              version: now.version,
              follows: { id: row.latest.id, version: row.latest.version },
            }),
          );
        if (answer.error) failed.push(`${name}: ${sentenceOf(answer.error)}`);
        else
          before.push({
            conversionId: now.id,
            characterId: id,
            version: answer.data.version,
            recipe: now.recipe,
            follows: now.follows,
          });
      }
      setDone(before);
      finish(failed);
    },
    async takeBack() {
      setBusy(true);
      const failed: string[] = [];
      for (const { conversionId, recipe, follows, version } of done) {
        const answer = await dispatch(
          api.endpoints.saveRecipe.initiate({ id: conversionId, recipe, version, follows }),
        );
        if (answer.error) failed.push(sentenceOf(answer.error));
      }
      setDone([]);
      finish(failed);
    },
    async run() {
      setBusy(true);
      const failed: string[] = [];
      for (const { conversionId } of done) {
        const answer = await dispatch(api.endpoints.startRun.initiate(conversionId));
        if (answer.error) failed.push(sentenceOf(answer.error));
      }
      setDone([]);
      finish(failed);
    },
  };
}
