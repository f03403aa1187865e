import { Button } from '@mantine/core';
import type { StepId } from '@dimetra/core';
import { useDesk } from '../stage/context.ts';
import { useAppDispatch } from '../store/store.ts';
import { useSettings } from '../store/use-settings.ts';
import { lookChosen, posed } from '../store/view-slice.ts';
import { FindingCard } from '../step/FindingCard.tsx';
import { Setting } from '../step/Setting.tsx';
import { StepCard } from '../step/StepCard.tsx';
import { StepHead } from '../step/StepHead.tsx';
import { TakeWeights } from './TakeWeights.tsx';
import styles from './WeightsBench.module.css';

export function WeightsBench() {
  const { character, target, run } = useDesk();
  const dispatch = useAppDispatch();
  const [settings, set] = useSettings('weights.limit');
  const findingsOf = (step: StepId) => run?.steps.find((entry) => entry.id === step)?.findings ?? [];
  return (
    <>
      <StepHead step="weights.limit" title="Weights">
        {character.revision.summary.influencesMax
          ? `A vertex of the source follows up to ${character.revision.summary.influencesMax} joints`
          : 'The source is bound to no skeleton yet'}
        ; the target takes {target.influences.max}. The weakest are dropped, the rest made to sum to one, and the cost
        measured over 24 poses.
      </StepHead>
      <div className={styles.settings}>
        <Setting step="weights.limit" name="max" instead={target.influences.max} />
        {settings.max !== undefined && (
          <Button size="compact-xs" variant="default" onClick={() => set('max', undefined)}>
            Back to the target's {target.influences.max}
          </Button>
        )}
        <Setting step="weights.limit" name="repair" />
      </div>
      {findingsOf('weights.limit').map((finding) => (
        <FindingCard key={finding.code} finding={finding}>
          <Button
            size="compact-xs"
            variant="default"
            onClick={() => {
              dispatch(lookChosen('deviation'));
              if (finding.names?.pose) dispatch(posed(finding.names.pose));
            }}
          >
            Show on the stage
          </Button>
        </FindingCard>
      ))}
      {character.revision.findings.some((finding) => finding.repair === 'weights.bind') && (
        <StepCard step="weights.bind" />
      )}
      {findingsOf('weights.bind').map((finding) => (
        <FindingCard key={finding.code} finding={finding} />
      ))}
      <StepCard step="weights.mend" />
      {findingsOf('weights.mend').map((finding) => (
        <FindingCard key={finding.code} finding={finding} />
      ))}
      <TakeWeights />
      <p className="quiet">Choose a joint in the loom and the look “Weights” to see what follows it.</p>
    </>
  );
}
