import { Button } from '@mantine/core';
import { ALWAYS_BLOCK, type Check } from '@dimetra/core';
import type { TargetRow } from '@dimetra/contract';
import { sentenceOf, useSaveTargetMutation } from '../api/api.ts';

/** Lets a broken rule of a target only be noted, or stop delivery: for all its characters, from the next run on. */
export function WeighRule({ check, target }: { check: Check; target: TargetRow }) {
  const [save, { isLoading, error }] = useSaveTargetMutation(),
    { shipped: _, ...stated } = target,
    said = stated.rules?.[check.rule],
    now = said ? said === 'blocks' : check.blocking;
  if (ALWAYS_BLOCK.includes(check.rule)) return null;
  return (
    <>
      <Button
        size="compact-xs"
        variant="default"
        loading={isLoading}
        data-weigh={check.rule}
        onClick={() => save({ ...stated, rules: { ...stated.rules, [check.rule]: now ? 'notes' : 'blocks' } })}
      >
        {now ? `Only note it for ${target.title}` : `Stop deliveries for ${target.title} by it`}
      </Button>
      {now !== check.blocking && <span className="quiet">Changed; run it again.</span>}
      {error !== undefined && <span role="alert">{sentenceOf(error)}</span>}
    </>
  );
}
