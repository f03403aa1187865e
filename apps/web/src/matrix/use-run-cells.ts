import { useState } from 'react';
import { api, sentenceOf } from '../api/api.ts';
import { useAppDispatch } from '../store/store.ts';
import type { Cell } from './cells.ts';

/** Starts a run for each of some cells, and stops those that are at work. */
export function useRunCells() {
  const dispatch = useAppDispatch(),
    [busy, setBusy] = useState(false),
    [problem, setProblem] = useState<string | null>(null);
  return {
    busy,
    problem,
    async run(cells: readonly Cell[]) {
      setBusy(true);
      setProblem(null);
      const failed: string[] = [];
      for (const { character, target } of cells) {
        const asked = await dispatch(
            api.endpoints.conversion.initiate(
              { characterId: character.id, targetId: target.id },
              { subscribe: false, forceRefetch: true },
            ),
          ),
          answer = asked.data ? await dispatch(api.endpoints.startRun.initiate(asked.data.id)) : asked;
        if (answer.error) failed.push(`${character.name} for ${target.title}: ${sentenceOf(answer.error)}`);
      }
      dispatch(api.util.invalidateTags(['characters']));
      if (failed.length)
        setProblem(
          `${failed[0]}${failed.length > 1 ? ` (and ${failed.length - 1} more that could not be started)` : ''}`,
        );
      setBusy(false);
    },
    async stop(cells: readonly Cell[]) {
      for (const { entry } of cells) if (entry?.runId) await dispatch(api.endpoints.cancelRun.initiate(entry.runId));
      dispatch(api.util.invalidateTags(['characters']));
    },
  };
}
