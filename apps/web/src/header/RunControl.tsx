import { Button, Progress } from '@mantine/core';
import { notifications } from '@mantine/notifications';
import {
  sentenceOf,
  useCancelRunMutation,
  useConversionQuery,
  useRunsOfQuery,
  useStartRunMutation,
} from '../api/api.ts';
import { isActive } from '@dimetra/contract';
import { recipeSettled, useAppSelector } from '../store/store.ts';

const SAVED = { saved: 'Saved', waiting: 'Saving', saving: 'Saving', failed: 'Not saved' } as const;

/** Saved state, the run's progress with a way to stop it, and the one main action. */
export function RunControl({ characterId, targetId }: { characterId: string; targetId: string }) {
  const { data: conversion } = useConversionQuery({ characterId, targetId });
  const { data: runs = [] } = useRunsOfQuery(conversion?.id ?? '', { skip: !conversion });
  const saved = useAppSelector((state) => state.recipe.saved);
  const [start, { isLoading }] = useStartRunMutation();
  const [cancel] = useCancelRunMutation();
  const active = runs.find(isActive);
  const run = async () => {
    if (!conversion || !(await recipeSettled())) return;
    const answer = await start(conversion.id);
    if (answer.error) notifications.show({ message: sentenceOf(answer.error), color: 'red' });
  };
  if (active) {
    return (
      <div className="ends running" role="status">
        <div className="grows">
          <div className="quiet small clip whole">
            {active.state === 'queued'
              ? 'Waiting for the worker'
              : active.state === 'cancelling'
                ? 'Stopping'
                : `${Math.round(active.progress * 100)} % ${active.message}`}
          </div>
          <Progress value={active.progress * 100} size={4} color="var(--done)" aria-label="Progress of the run" />
        </div>
        <Button
          size="compact-sm"
          variant="default"
          disabled={active.state === 'cancelling'}
          onClick={() => cancel(active.id)}
        >
          Stop
        </Button>
      </div>
    );
  }
  return (
    <>
      <span className="quiet" role="status" data-saved={saved}>
        {SAVED[saved]}
      </span>
      <Button size="compact-md" onClick={run} loading={isLoading} data-run>
        {runs.length ? 'Run again' : 'Run'}
      </Button>
    </>
  );
}
