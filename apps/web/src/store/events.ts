import type { AppDispatch } from './store.ts';
import { recipeChangedElsewhere } from './recipe-slice.ts';
import { api } from '../api/api.ts';

/** Follows the server's announcements for as long as the page lives. */
export function followEvents(dispatch: AppDispatch): () => void {
  const source = new EventSource('/api/v1/events');
  source.onmessage = (message) => {
    const event = JSON.parse(message.data as string) as { type: string; id?: string; version?: number };
    if (event.type === 'run') dispatch(api.util.invalidateTags(['runs', 'run', 'characters']));
    if (event.type === 'characters') dispatch(api.util.invalidateTags(['characters']));
    if (event.type === 'targets') dispatch(api.util.invalidateTags(['targets', 'figures']));
    if (event.type === 'recipe' && event.id && event.version)
      dispatch(recipeChangedElsewhere({ id: event.id, version: event.version }));
    if (event.type === 'reload') dispatch(api.util.invalidateTags(['characters', 'targets', 'figures', 'runs', 'run']));
  };
  return () => source.close();
}
