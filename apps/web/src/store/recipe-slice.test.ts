import { defaultRecipe } from '@dimetra/core';
import { describe, expect, it } from 'vitest';
import {
  recipeChangedElsewhere,
  recipeLoaded,
  recipeReducer,
  redone,
  saved,
  saveFailed,
  saving,
  settingChanged,
  settingsChanged,
  settingsOf,
  stepSwitched,
  undone,
} from './recipe-slice.ts';

const conversion = (version: number, id = 'a') => ({
  id,
  characterId: 'c',
  targetId: 't',
  recipe: defaultRecipe(),
  follows: null,
  version,
  updatedAt: '',
});
const loaded = () => recipeReducer(undefined, recipeLoaded(conversion(1)));
const set = (value: unknown) => settingChanged({ step: 'weights.limit', setting: 'max', value });
const max = (state: ReturnType<typeof loaded>) => settingsOf(state.recipe, 'weights.limit').max;

describe('decisions', () => {
  it('go back and forth, and a new one ends what was undone', () => {
    let state = loaded();
    for (const action of [set(3), set(2), undone()]) state = recipeReducer(state, action);
    expect(max(state)).toBe(3);
    state = recipeReducer(state, redone());
    expect(max(state)).toBe(2);
    for (const action of [undone(), undone()]) state = recipeReducer(state, action);
    expect(max(state)).toBeUndefined();
    for (const action of [set(7), redone()]) state = recipeReducer(state, action);
    expect(max(state)).toBe(7);
  });
  it('several of one step are one to undo', () => {
    let state = recipeReducer(loaded(), set(3));
    state = recipeReducer(state, settingsChanged({ step: 'fit.seat', values: { biteUp: 2, biteForward: 1 } }));
    expect(settingsOf(state.recipe, 'fit.seat')).toEqual({ biteUp: 2, biteForward: 1 });
    expect(state.saved).toBe('waiting');
    state = recipeReducer(state, undone());
    expect(settingsOf(state.recipe, 'fit.seat')).toEqual({});
    expect(max(state)).toBe(3);
  });
  it('are put back to the target by undefined, and steps can be left out', () => {
    let state = recipeReducer(recipeReducer(loaded(), set(3)), set(undefined));
    expect('max' in settingsOf(state.recipe, 'weights.limit')).toBe(false);
    state = recipeReducer(state, stepSwitched({ step: 'weights.limit', enabled: false }));
    expect(state.recipe?.steps.find((step) => step.id === 'weights.limit')?.enabled).toBe(false);
  });
  it('are not lost when something is saved while another change waits', () => {
    let state = recipeReducer(recipeReducer(loaded(), set(3)), saving());
    state = recipeReducer(state, set(2));
    state = recipeReducer(state, saved({ version: 2, recipe: defaultRecipe() }));
    expect([max(state), state.version, state.saved]).toEqual([2, 2, 'waiting']);
  });
  it('give way to a newer version from another window, and only to a newer one', () => {
    let state = recipeReducer(loaded(), recipeChangedElsewhere({ id: 'a', version: 1 }));
    expect(state.stale).toBe(false);
    state = recipeReducer(state, recipeChangedElsewhere({ id: 'a', version: 2 }));
    expect(state.stale).toBe(true);
    state = recipeReducer(state, recipeLoaded(conversion(2)));
    expect([state.stale, state.version]).toEqual([false, 2]);
    expect(recipeReducer(state, recipeLoaded(conversion(1)))).toBe(state);
    expect(recipeReducer(recipeReducer(state, set(1)), saveFailed({ conflict: true }))).toMatchObject({
      stale: true,
      saved: 'failed',
    });
  });
});
