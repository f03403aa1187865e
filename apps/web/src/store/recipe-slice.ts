import type { Mix, Recipe, StepId, StepSettings } from '@dimetra/core';
import { createSlice, type PayloadAction } from '@reduxjs/toolkit';
import type { Conversion } from '@dimetra/contract';

interface RecipeState {
  conversionId: string | null;
  recipe: Recipe | null;
  /** Version on the server that `recipe` is based on. */
  version: number;
  past: Recipe[];
  future: Recipe[];
  saved: 'saved' | 'waiting' | 'saving' | 'failed';
  /** A newer version than ours exists: another window saved. */
  stale: boolean;
}
const initialState: RecipeState = {
  conversionId: null,
  recipe: null,
  version: 0,
  past: [],
  future: [],
  saved: 'saved',
  stale: false,
};
const MOST_STEPS_BACK = 200;

/** One more decision that can be taken back and is to be saved. */
function remember(state: RecipeState): void {
  state.past.push(JSON.parse(JSON.stringify(state.recipe)) as Recipe);
  if (state.past.length > MOST_STEPS_BACK) state.past.shift();
  state.future = [];
  state.saved = 'waiting';
}

/** Puts settings of a step; `undefined` goes back to what one is by itself. */
function change(state: RecipeState, step: string, values: Readonly<Record<string, unknown>>): void {
  if (!state.recipe) return;
  remember(state);
  let entry = state.recipe.steps.find(({ id }) => id === step);
  if (!entry) {
    entry = { id: step, enabled: true, settings: {} };
    state.recipe.steps.push(entry);
  }
  const settings = { ...entry.settings };
  for (const [name, value] of Object.entries(values))
    if (value === undefined) delete settings[name];
    else settings[name] = value;
  entry.settings = settings;
}

const slice = createSlice({
  name: 'recipe',
  initialState,
  reducers: {
    recipeLoaded(state, { payload }: PayloadAction<Conversion>) {
      if (state.conversionId === payload.id && state.version >= payload.version && !state.stale) return;
      const same = state.conversionId === payload.id;
      return {
        conversionId: payload.id,
        recipe: payload.recipe,
        version: payload.version,
        past: same ? state.past : [],
        future: [],
        saved: 'saved',
        stale: false,
      };
    },
    /** One decision: a setting of a step; `undefined` puts it back to what the target says. */
    settingChanged(
      state,
      { payload: { step, setting, value } }: PayloadAction<{ step: string; setting: string; value: unknown }>,
    ) {
      change(state, step, { [setting]: value });
    },
    /** Several of one step, as one to undo. */
    settingsChanged(
      state,
      { payload: { step, values } }: PayloadAction<{ step: string; values: Readonly<Record<string, unknown>> }>,
    ) {
      change(state, step, values);
    },
    stepSwitched(state, { payload }: PayloadAction<{ step: string; enabled: boolean }>) {
      if (!state.recipe) return;
      remember(state);
      const entry = state.recipe.steps.find((step) => step.id === payload.step);
      if (entry) entry.enabled = payload.enabled;
    },
    /** Mixes kept under their names; one that is there already is replaced. */
    mixesKept(state, { payload }: PayloadAction<readonly Mix[]>) {
      if (!state.recipe) return;
      remember(state);
      const names = payload.map((mix) => mix.name);
      state.recipe.mixes = [...(state.recipe.mixes ?? []).filter((mix) => !names.includes(mix.name)), ...payload];
    },
    mixForgotten(state, { payload }: PayloadAction<string>) {
      if (!state.recipe) return;
      remember(state);
      state.recipe.mixes = state.recipe.mixes?.filter((mix) => mix.name !== payload);
    },
    undone(state) {
      const before = state.past.pop();
      if (!before || !state.recipe) return;
      state.future.push(state.recipe);
      state.recipe = before;
      state.saved = 'waiting';
    },
    redone(state) {
      const after = state.future.pop();
      if (!after || !state.recipe) return;
      state.past.push(state.recipe);
      state.recipe = after;
      state.saved = 'waiting';
    },
    saving(state) {
      state.saved = 'saving';
    },
    saved(state, { payload }: PayloadAction<{ version: number; recipe: Recipe }>) {
      state.version = payload.version;
      if (state.saved === 'saving') state.saved = 'saved';
    },
    saveFailed(state, { payload }: PayloadAction<{ conflict: boolean }>) {
      state.saved = 'failed';
      if (payload.conflict) state.stale = true;
    },
    recipeChangedElsewhere(state, { payload }: PayloadAction<{ id: string; version: number }>) {
      if (payload.id === state.conversionId && payload.version > state.version && state.saved === 'saved')
        state.stale = true;
    },
  },
});
export const {
  recipeLoaded,
  settingChanged,
  settingsChanged,
  stepSwitched,
  mixesKept,
  mixForgotten,
  undone,
  redone,
  saving,
  saved,
  saveFailed,
  recipeChangedElsewhere,
} = slice.actions;
export const recipeReducer = slice.reducer;

/** Settings of one step, as far as they were set by hand. */
export const settingsOf = <K extends StepId>(recipe: Recipe | null, step: K): StepSettings[K] =>
  (recipe?.steps.find((entry) => entry.id === step)?.settings ?? NONE) as StepSettings[K];
/** One and the same each time, so that whoever asks sees no change where there is none. */
const NONE = Object.freeze({});
