import { figureOf, type Target } from '@dimetra/core';
import { useCallback, useEffect, useMemo, useRef, useState } from 'react';
import { useCharactersQuery } from '../api/api.ts';
import { watchWrap, type Whose, type WrapSurface, type WrapWatch } from '../figure/watch-wrap.ts';
import { settingsOf } from '../store/recipe-slice.ts';
import { useAppSelector } from '../store/store.ts';
import { useSettings } from '../store/use-settings.ts';
import type { WrapFound } from '../workers/wrap.worker.ts';

type Seen = Pick<WrapWatch, 'state' | 'done' | 'surface' | 'found' | 'message'>;
const OFF: Seen = { state: 'off', done: 0, surface: null, found: null, message: null };

/** @param wanted whether the station is open: what is watched ends where somebody goes on */
export function useWrapWatch(sourceUrl: string | null, target: Target | undefined, wanted: boolean): WrapWatch | null {
  const [{ body, detail = 'full', sides = 'own' }] = useSettings('fit.wrap'),
    stand = useAppSelector((state) => settingsOf(state.recipe.recipe, 'intake.stand')),
    { data: cast } = useCharactersQuery(),
    [seen, setSeen] = useState<Seen>(OFF),
    running = useRef<(() => void) | null>(null);
  const figure = target?.fit?.body ? figureOf(target) : undefined,
    name = body ? (cast?.find((row) => row.revisionId === body)?.name ?? 'the other character') : figure?.title,
    id = body ?? (figure?.body ? figure.id : null);
  const stop = useCallback(() => {
    running.current?.();
    running.current = null;
    setSeen(OFF);
  }, []);
  // Another figure, character or way of wrapping is another question.
  const question = `${sourceUrl} ${id} ${detail} ${sides} ${wanted}`;
  useEffect(() => {
    void question;
    return stop;
  }, [question, stop]);
  const start = useCallback(() => {
    if (!sourceUrl || !id || !name) return;
    stop();
    const whose: Whose = body ? { name, revision: body } : { name, figure: id };
    let surface: WrapSurface | null = null;
    setSeen({ ...OFF, state: 'running' });
    const { found, stop: end } = watchWrap(sourceUrl, stand, whose, { detail, sides }, ({ done, places, corners }) => {
      if (running.current !== end) return;
      const shown: WrapSurface = { places, corners: corners ?? surface?.corners ?? new Uint32Array(0) };
      surface = shown;
      setSeen((before) => ({ ...before, done, surface: shown }));
    });
    running.current = end;
    const finished = (change: Partial<Seen>) => {
      if (running.current === end) setSeen((before) => ({ ...before, ...change }));
    };
    found.then(
      (told: WrapFound) => finished({ state: 'done', done: 1, found: told }),
      (error: Error) => finished({ state: 'failed', surface: null, message: error.message }),
    );
  }, [sourceUrl, id, name, body, stand, detail, sides, stop]);
  return useMemo(() => (wanted && id ? { ...seen, start, stop } : null), [wanted, id, seen, start, stop]);
}
