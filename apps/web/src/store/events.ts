import type { Station } from '@dimetra/core';
import type { AppDispatch } from './store.ts';
import { recipeChangedElsewhere } from './recipe-slice.ts';
import { api } from '../api/api.ts';

type ServerEvent =
  | { type: 'characters' | 'targets' | 'treatments' | 'recipes' | 'reload' }
  | { type: 'recipe'; id: string; version: number }
  /** `steps`: one is done, or there is a result to look at; else the run began, ended or is being stopped. */
  | { type: 'run'; id: string; steps?: boolean }
  | ({ type: 'progress'; id: string; conversionId: string } & Progress);
interface Progress {
  progress: number;
  message: string;
  station: Station | null;
}

/** Asks anew for what an announcement says has changed, and for no more: progress comes several times a second. */
export function take(dispatch: AppDispatch, event: ServerEvent): void {
  switch (event.type) {
    case 'progress':
      showProgress(dispatch, event);
      return;
    case 'run':
      dispatch(
        api.util.invalidateTags([
          { type: 'run', id: event.id },
          'runs',
          ...(event.steps ? [] : (['characters'] as const)),
        ]),
      );
      return;
    case 'recipe':
      dispatch(recipeChangedElsewhere(event));
      return;
    case 'characters':
      dispatch(api.util.invalidateTags(['characters']));
      return;
    case 'treatments':
      dispatch(api.util.invalidateTags(['treatments']));
      return;
    case 'recipes':
      dispatch(api.util.invalidateTags(['recipes']));
      return;
    case 'targets':
      dispatch(api.util.invalidateTags(['targets', 'figures']));
      return;
    case 'reload':
      dispatch(api.util.invalidateTags(['characters', 'targets', 'figures', 'treatments', 'recipes', 'runs', 'run']));
  }
}

/** Progress is put where the run is shown; nothing is asked for. */
function showProgress(
  dispatch: AppDispatch,
  { id, conversionId, progress, message, station }: Progress & { id: string; conversionId: string },
): void {
  const put = (row: (Progress & { id: string }) | undefined) => {
    if (row?.id === id) Object.assign(row, { progress, message, station });
  };
  dispatch(api.util.updateQueryData('run', id, put));
  for (const list of [
    api.util.updateQueryData('runsOf', conversionId, (rows) => rows.forEach(put)),
    api.util.updateQueryData('runs', 1, (rows) => rows.forEach(put)),
    api.util.updateQueryData('characters', undefined, (rows) => {
      for (const entry of rows.flatMap((row) => row.conversions)) if (entry.runId === id) entry.progress = progress;
    }),
  ])
    dispatch(list);
}

/** Follows the server's announcements for as long as the page lives. */
export function followEvents(dispatch: AppDispatch): () => void {
  const source = new EventSource('/api/v1/events');
  source.onmessage = (message) => take(dispatch, JSON.parse(message.data as string) as ServerEvent);
  return () => source.close();
}
