import { NumberInput, Button } from '@mantine/core';
import { useDesk } from '../desk/context.ts';
import { settingChanged, settingsOf } from '../store/recipe-slice.ts';
import { useAppDispatch, useAppSelector } from '../store/store.ts';
import { lookChosen, posed } from '../store/view-slice.ts';
import { FindingCard } from './FindingCard.tsx';
import { StepHead } from './StepHead.tsx';

export function WeightsBench() {
  const { character, target, run } = useDesk();
  const dispatch = useAppDispatch();
  const settings = useAppSelector((state) => settingsOf(state.recipe.recipe, 'weights.limit'));
  const set = (value: number | undefined) => dispatch(settingChanged({ step: 'weights.limit', setting: 'max', value }));
  const findings = run?.steps.find((step) => step.id === 'weights.limit')?.findings ?? [];
  return (
    <>
      <StepHead step="weights.limit" title="Weights">A vertex of the source follows up to {character.revision.summary.influencesMax} joints; the target takes {target.influences.max}. The weakest are dropped, the rest made to sum to one, and the cost measured over 24 poses.</StepHead>
      {findings.map((finding) => <FindingCard key={finding.code} finding={finding}><Button size="compact-xs" variant="default" onClick={() => { dispatch(lookChosen('deviation')); const name = /in “(.+)”/.exec(finding.message)?.[1]; if (name) dispatch(posed(name)); }}>Show on the stage</Button></FindingCard>)}
      <h3>Most influences on a vertex {settings.max !== undefined && <Button size="compact-xs" variant="default" onClick={() => set(undefined)}>Back to the target's {target.influences.max}</Button>}</h3>
      <NumberInput aria-label="Most influences on a vertex" value={Number(settings.max ?? target.influences.max)} min={1} max={64} onChange={(value) => { if (Number(value) >= 1 && Number(value) !== Number(settings.max ?? target.influences.max)) set(Number(value)); }} />
      <p className="quiet">Choose a joint in the loom and the look “Weights” to see what follows it.</p>
    </>
  );
}
