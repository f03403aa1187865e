import { seatPlaces, type StepSettings } from '@dimetra/core';
import type { RunDetail } from '@dimetra/contract';
import type { Document } from '@gltf-transform/core';
import { useCallback, useMemo, useState } from 'react';
import {
  AS_SEATED,
  draggedSeat,
  type SeatHandle,
  type SeatNudge,
  type SeatsAtWork,
  shownSeats,
} from '../figure/seats.ts';
import { settingsChanged } from '../store/recipe-slice.ts';
import { useAppDispatch } from '../store/store.ts';
import { useSettings } from '../store/use-settings.ts';

const nudgeOf = (settings: Partial<StepSettings['fit.seat']> | undefined): SeatNudge =>
  Object.fromEntries(
    Object.entries(AS_SEATED).map(([name, usual]) => [name, settings?.[name as keyof SeatNudge] ?? usual]),
  ) as unknown as SeatNudge;

/**
 * Handles of eyes and bite that a figure brought.
 * @param wanted whether the station is open
 * @param stands the result on the stage @param run whose result it is
 */
export function useSeats(wanted: boolean, stands: Document | undefined, run: RunDetail | undefined): SeatsAtWork {
  const [settings] = useSettings('fit.seat'),
    dispatch = useAppDispatch(),
    [held, setHeld] = useState<Partial<SeatNudge> | null>(null),
    isSeated = run?.steps.some(({ id }) => id === 'fit.seat') ?? false,
    places = useMemo(() => (wanted && isSeated && stands ? seatPlaces(stands) : null), [wanted, isSeated, stands]),
    then = useMemo(
      () =>
        nudgeOf(run?.recipe.steps.find(({ id }) => id === 'fit.seat')?.settings as Partial<StepSettings['fit.seat']>),
      [run?.recipe],
    ),
    now = useMemo(() => nudgeOf(settings), [settings]);
  const hold = useCallback(
      (id: SeatHandle['id'], at: SeatHandle['at']) => {
        if (places) setHeld(draggedSeat(places, then, now, id, at));
      },
      [places, then, now],
    ),
    put = useCallback(
      (id: SeatHandle['id'], at: SeatHandle['at']) => {
        setHeld(null);
        if (!places) return;
        const values = draggedSeat(places, then, now, id, at);
        if (Object.entries(values).some(([name, value]) => value !== now[name as keyof SeatNudge]))
          dispatch(settingsChanged({ step: 'fit.seat', values }));
      },
      [places, then, now, dispatch],
    );
  return useMemo(
    () => ({ shown: places && shownSeats(places, then, { ...now, ...held }), hold, put }),
    [places, then, now, held, hold, put],
  );
}
