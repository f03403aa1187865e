import { STATIONS, type Station } from '@dimetra/core';
import { useEffect } from 'react';
import { redone, undone } from '../store/recipe-slice.ts';
import { store, useAppDispatch } from '../store/store.ts';
import {
  everythingShown,
  jumped,
  partHidden,
  partIsolated,
  partPicked,
  VIEWS,
  viewChosen,
  type View,
} from '../store/view-slice.ts';

/** Keys of the workplace. Typing in a field is left alone. */
export function useShortcuts(onOpen: (station: Station) => void): void {
  const dispatch = useAppDispatch();
  useEffect(() => {
    let before: View | null = null;
    const typing = (event: KeyboardEvent) =>
      event.target instanceof HTMLElement &&
      (event.target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(event.target.tagName));
    const down = (event: KeyboardEvent) => {
      if (typing(event)) return;
      const { part, view } = store.getState().view;
      const key = event.key.toLowerCase();
      if ((event.ctrlKey || event.metaKey) && key === 'z') {
        event.preventDefault();
        dispatch(event.shiftKey ? redone() : undone());
        return;
      }
      if (event.ctrlKey || event.metaKey || event.altKey) return;
      if (/^[0-9]$/.test(key)) {
        onOpen(STATIONS[key === '0' ? 9 : Number(key) - 1]);
        return;
      }
      if (key === ' ' && !(event.target instanceof HTMLButtonElement)) {
        event.preventDefault();
        if (!before) {
          before = view;
          dispatch(viewChosen('source'));
        }
        return;
      }
      if (key === 'v') dispatch(viewChosen(VIEWS[(VIEWS.indexOf(view) + 1) % VIEWS.length]));
      else if (key === 'f') dispatch(jumped('figure'));
      else if (key === 'h' && part) dispatch(partHidden(part));
      else if (key === 'i' && part) dispatch(partIsolated(part));
      else if (key === 'escape') {
        dispatch(partPicked(null));
        dispatch(everythingShown());
      } else if (key === 'j' || key === 'k') moveFinding(key === 'j' ? 1 : -1);
      else if (key === '/') {
        const field = document.querySelector<HTMLInputElement>('.bench input[data-filter]');
        if (field) {
          event.preventDefault();
          field.focus();
        }
      }
    };
    const up = (event: KeyboardEvent) => {
      if (event.key === ' ' && before) {
        dispatch(viewChosen(before));
        before = null;
      }
    };
    window.addEventListener('keydown', down);
    window.addEventListener('keyup', up);
    return () => {
      window.removeEventListener('keydown', down);
      window.removeEventListener('keyup', up);
    };
  }, [dispatch, onOpen]);
}

function moveFinding(by: number): void {
  const cards = [...document.querySelectorAll<HTMLElement>('.bench [data-finding]')];
  if (!cards.length) return;
  const at = cards.indexOf(document.activeElement as HTMLElement);
  const next = cards[(at + by + cards.length) % cards.length];
  next.focus();
  next.scrollIntoView({ block: 'nearest' });
}
