import { configureStore, createListenerMiddleware } from '@reduxjs/toolkit';
import { useDispatch, useSelector } from 'react-redux';
import { api } from '../api/api.ts';
import { recipeReducer, saved, saveFailed, saving } from './recipe-slice.ts';
import { viewReducer } from './view-slice.ts';

const autosave = createListenerMiddleware();

export const store = configureStore({
  reducer: { [api.reducerPath]: api.reducer, recipe: recipeReducer, view: viewReducer },
  middleware: (defaults) =>
    defaults({ serializableCheck: false, immutableCheck: false }).prepend(autosave.middleware).concat(api.middleware),
});
export type RootState = ReturnType<typeof store.getState>;
export type AppDispatch = typeof store.dispatch;
export const useAppDispatch = useDispatch.withTypes<AppDispatch>();
export const useAppSelector = useSelector.withTypes<RootState>();

/** Saves follow each other, so that no two name the same version. */
let chain: Promise<void> = Promise.resolve();

async function saveNow(): Promise<void> {
  const { recipe } = store.getState();
  if (!recipe.recipe || !recipe.conversionId || recipe.saved !== 'waiting') return;
  store.dispatch(saving());
  const { data, error } = await store.dispatch(
    api.endpoints.saveRecipe.initiate({ id: recipe.conversionId, recipe: recipe.recipe, version: recipe.version }),
  );
  if (data) store.dispatch(saved({ version: data.version, recipe: data.recipe }));
  else store.dispatch(saveFailed({ conflict: (error as { status?: number } | undefined)?.status === 409 }));
}

/** Saves the recipe a moment after the last change; a newer change starts the wait again. */
autosave.startListening({
  // Whatever changed it: a list of actions would miss the next one that is added.
  predicate: (_action, now, before) => {
    const { recipe, saved: state } = (now as RootState).recipe;
    return state === 'waiting' && recipe !== (before as RootState).recipe.recipe;
  },
  async effect(_action, listener) {
    listener.cancelActiveListeners();
    await listener.delay(350);
    chain = chain.then(saveNow, saveNow);
  },
});

/** Waits until what is on screen is on the server. */
export async function recipeSettled(): Promise<boolean> {
  for (let i = 0; i < 100; i++) {
    const { saved: state } = store.getState().recipe;
    if (state === 'saved') return true;
    if (state === 'failed') return false;
    await new Promise((resolve) => setTimeout(resolve, 60));
  }
  return false;
}
