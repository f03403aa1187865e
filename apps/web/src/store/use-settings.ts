import type { StepId, StepSettings } from '@dimetra/core';
import { useCallback } from 'react';
import { settingChanged, settingsOf } from './recipe-slice.ts';
import { useAppDispatch, useAppSelector } from './store.ts';

/** What was said of a step by hand, and how to say something else; `undefined` goes back to what it is by itself. */
export function useSettings<K extends StepId>(
  step: K,
): [
  settings: StepSettings[K],
  set: <N extends keyof StepSettings[K] & string>(name: N, value: StepSettings[K][N]) => void,
] {
  const settings = useAppSelector((state) => settingsOf(state.recipe.recipe, step)),
    dispatch = useAppDispatch();
  return [
    settings,
    useCallback((setting, value) => dispatch(settingChanged({ step, setting, value })), [step, dispatch]),
  ];
}
