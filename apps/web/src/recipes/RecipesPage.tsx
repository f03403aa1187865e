import { useState } from 'react';
import { useNavigate, useParams } from 'react-router';
import { sentenceOf, useKeepRecipeMutation, useRecipesQuery } from '../api/api.ts';
import { Failed } from '../shared/Failed.tsx';
import { BringIn } from '../shared/JsonFile.tsx';
import { PickList } from '../shared/PickList.tsx';
import { RecipeDetail } from './RecipeDetail.tsx';
import styles from './recipes.module.css';

/** Recipes that characters share: what each says, who follows it, and what it would do to others before they take it. */
export function RecipesPage() {
  const { recipeId } = useParams(),
    navigate = useNavigate(),
    { data: recipes = [], error, isLoading, refetch } = useRecipesQuery(),
    [keep] = useKeepRecipeMutation(),
    [problem, setProblem] = useState<string | null>(null),
    chosen = recipeId ? recipes.find(({ latest }) => latest.id === recipeId) : recipes[0];
  const takeIn = async (value: unknown) => {
    setProblem(null);
    const answer = await keep(value as never);
    if (answer.error) setProblem(sentenceOf(answer.error));
    else navigate(`/recipes/${answer.data.id}`);
  };
  return (
    <main className="page">
      <header>
        <div>
          <h1>Recipes</h1>
          <span className="quiet">What several characters are made by</span>
        </div>
        <BringIn what="a recipe" size="compact-md" onBring={takeIn} />
      </header>
      {error !== undefined && <Failed sentence={sentenceOf(error)} onAgain={refetch} />}
      {problem && <Failed sentence={problem} />}
      {isLoading && (
        <p className="quiet" role="status">
          Loading recipes …
        </p>
      )}
      {!isLoading && !error && !recipes.length && (
        <p className="quiet says">
          No recipe is shared yet. Open a character for a target, set its steps as they should be, and keep them under{' '}
          <b>Recipe</b> in the header: others can take them from here, and you see what that would do to each of them
          first.
        </p>
      )}
      {recipes.length > 0 && (
        <div className={styles.columns}>
          <PickList
            label="Recipes"
            rows={recipes.map(({ latest, followers }) => ({
              id: latest.id,
              title: latest.title,
              count: followers.length,
            }))}
            chosen={chosen?.latest.id}
            onPick={(id) => navigate(`/recipes/${id}`)}
          />
          {chosen ? (
            <RecipeDetail key={chosen.latest.id} row={chosen} />
          ) : (
            <p className="quiet" role="status">
              There is no recipe “{recipeId}”. It was removed, or the address is wrong; choose one on the left.
            </p>
          )}
        </div>
      )}
    </main>
  );
}
