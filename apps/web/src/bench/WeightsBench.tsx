import { Button, NativeSelect, NumberInput, Switch } from '@mantine/core';
import { useDesk } from '../stage/context.ts';
import { settingChanged, settingsOf } from '../store/recipe-slice.ts';
import { useAppDispatch, useAppSelector } from '../store/store.ts';
import { lookChosen, posed } from '../store/view-slice.ts';
import { FindingCard } from '../step/FindingCard.tsx';
import { StepCard } from '../step/StepCard.tsx';
import { StepHead } from '../step/StepHead.tsx';
import { TakeWeights } from './TakeWeights.tsx';

export function WeightsBench() {
  const { character, target, run } = useDesk();
  const dispatch = useAppDispatch();
  const settings = useAppSelector((state) => settingsOf(state.recipe.recipe, 'weights.limit'));
  const bind = useAppSelector((state) => settingsOf(state.recipe.recipe, 'weights.bind'));
  const mend = useAppSelector((state) => settingsOf(state.recipe.recipe, 'weights.mend')) as {
    mend?: boolean;
    mirror?: string;
    smooth?: number;
  };
  const setMend = (setting: string, value: unknown) =>
    dispatch(settingChanged({ step: 'weights.mend', setting, value }));
  const set = (value: number | undefined) => dispatch(settingChanged({ step: 'weights.limit', setting: 'max', value }));
  const findings = run?.steps.find((step) => step.id === 'weights.limit')?.findings ?? [];
  return (
    <>
      <StepHead step="weights.limit" title="Weights">
        {character.revision.summary.influencesMax
          ? `A vertex of the source follows up to ${character.revision.summary.influencesMax} joints`
          : 'The source is bound to no skeleton yet'}
        ; the target takes {target.influences.max}. The weakest are dropped, the rest made to sum to one, and the cost
        measured over 24 poses.
      </StepHead>
      <h3>
        Most influences on a vertex{' '}
        {settings.max !== undefined && (
          <Button size="compact-xs" variant="default" onClick={() => set(undefined)}>
            Back to the target's {target.influences.max}
          </Button>
        )}
      </h3>
      <NumberInput
        aria-label="Most influences on a vertex"
        mb={10}
        value={Number(settings.max ?? target.influences.max)}
        min={1}
        max={64}
        onChange={(value) => {
          if (Number(value) >= 1 && Number(value) !== Number(settings.max ?? target.influences.max)) set(Number(value));
        }}
      />
      {findings.map((finding) => (
        <FindingCard key={finding.code} finding={finding}>
          <Button
            size="compact-xs"
            variant="default"
            onClick={() => {
              dispatch(lookChosen('deviation'));
              const name = /in “(.+)”/.exec(finding.message)?.[1];
              if (name) dispatch(posed(name));
            }}
          >
            Show on the stage
          </Button>
        </FindingCard>
      ))}
      {character.revision.findings.some((finding) => finding.repair === 'weights.bind') && (
        <StepCard
          step="weights.bind"
          says="Mesh and skeleton came in files of their own. The skeleton is scaled, placed and its arms turned until it lies in the mesh; weights follow distances measured through the body."
        >
          <NumberInput
            size="xs"
            label="Falloff, soft 2 to stiff 12"
            w={170}
            min={2}
            max={12}
            step={0.5}
            value={Number(bind.falloff ?? 6)}
            onChange={(value) => {
              if (Number(value) >= 2 && Number(value) !== Number(bind.falloff ?? 6))
                dispatch(
                  settingChanged({
                    step: 'weights.bind',
                    setting: 'falloff',
                    value: Number(value) === 6 ? undefined : Number(value),
                  }),
                );
            }}
          />
        </StepCard>
      )}
      {(run?.steps.find((step) => step.id === 'weights.bind')?.findings ?? []).map((finding) => (
        <FindingCard key={finding.code} finding={finding} />
      ))}
      <StepCard
        step="weights.mend"
        says="Vertices without weight take on their neighbours', weights that pull the other side along or stand alone far off are taken out, sums brought to one."
      >
        <Switch
          size="xs"
          label="Mend"
          mb={7}
          checked={mend.mend !== false}
          onChange={(event) => setMend('mend', event.currentTarget.checked ? undefined : false)}
        />
        <NativeSelect
          size="xs"
          label="Mirror"
          w={136}
          value={mend.mirror ?? 'none'}
          onChange={(event) => setMend('mirror', event.target.value === 'none' ? undefined : event.target.value)}
          data={[
            { value: 'none', label: 'Each side its own' },
            { value: 'left', label: 'Left onto right' },
            { value: 'right', label: 'Right onto left' },
          ]}
        />
        <NumberInput
          size="xs"
          label="Smooth, passes"
          w={96}
          min={0}
          max={20}
          value={mend.smooth ?? 0}
          onChange={(value) => {
            if (Number(value) !== (mend.smooth ?? 0)) setMend('smooth', Number(value) || undefined);
          }}
        />
      </StepCard>
      {(run?.steps.find((step) => step.id === 'weights.mend')?.findings ?? []).map((finding) => (
        <FindingCard key={finding.code} finding={finding} />
      ))}
      <TakeWeights />
      <p className="quiet">Choose a joint in the loom and the look “Weights” to see what follows it.</p>
    </>
  );
}
