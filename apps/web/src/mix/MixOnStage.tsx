import { Button } from '@mantine/core';
import { useState } from 'react';
import { REGION_NAMES } from '../shared/region-names.ts';
import { useDesk } from '../stage/context.ts';
import { useAppSelector } from '../store/store.ts';
import styles from './Mix.module.css';
import { MixPad } from './MixPad.tsx';
import { useMixNames } from './MixCard.tsx';
import { everyShare, useMixed } from './use-mix.ts';

/** The pad beside the figure, for the region that was clicked on it. */
export function MixOnStage() {
  const { mix } = useDesk(),
    region = useAppSelector((state) => state.view.mixRegion),
    { people, weights, drag, settle, share } = useMixed(),
    names = useMixNames();
  const [away, setAway] = useState(false);
  if (!people.length) return null;
  if (away)
    return (
      <Button size="compact-xs" variant="default" className={styles.back} onClick={() => setAway(false)}>
        Mix on the stage
      </Button>
    );
  return (
    <div className={styles.onStage} role="group" aria-label="Mix on the stage">
      <b>{REGION_NAMES[region]}</b>{' '}
      <span className={styles.state} aria-live="polite">
        {mix.busy ? 'mixing …' : mix.error ? 'not mixed' : mix.mixed ? 'mixed' : ''}
      </span>
      <MixPad
        names={names}
        shares={everyShare(weights, region)}
        label={`Shares of people on the stage: ${REGION_NAMES[region]}`}
        onDrag={(others) => drag(region, others)}
        onSettle={settle}
        onPut={(others) => share(region, others)}
      />
      <span className={styles.state}>Click another region</span>
      <Button size="compact-xs" variant="subtle" color="gray" onClick={() => setAway(true)}>
        Put away
      </Button>
    </div>
  );
}
