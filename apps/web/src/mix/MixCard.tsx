import { Button, NativeSelect, NumberInput } from '@mantine/core';
import { randomMix } from '@dimetra/core';
import { useState } from 'react';
import { useCharactersQuery } from '../api/api.ts';
import { listArrows } from '../shared/list-arrows.ts';
import { EVERY_REGION, REGION_NAMES } from '../shared/region-names.ts';
import { useDesk } from '../stage/context.ts';
import { Setting } from '../step/Setting.tsx';
import { StepCard } from '../step/StepCard.tsx';
import { useAppDispatch, useAppSelector } from '../store/store.ts';
import { mixRegionChosen } from '../store/view-slice.ts';
import styles from './Mix.module.css';
import { MixPad } from './MixPad.tsx';
import { everyShare, useMixed } from './use-mix.ts';

const SEATS = [0, 1] as const;

/** Names of all that are mixed, the own figure first. */
export function useMixNames(): string[] {
  const { character } = useDesk(),
    { data: cast = [] } = useCharactersQuery(),
    { people } = useMixed();
  return [
    character.name,
    ...people.map((person) => cast.find((row) => row.revisionId === person.character)?.name ?? 'an earlier revision'),
  ];
}

/** Two or three people become one, region by region. */
export function MixCard() {
  const { people } = useMixed();
  return (
    <StepCard step="morphs.mix">
      <Seats />
      {people.length > 0 && <Shares />}
    </StepCard>
  );
}

/** Who is mixed in; someone else takes over the weights of the one before. */
function Seats() {
  const { character } = useDesk(),
    { data: cast = [] } = useCharactersQuery(),
    { people, seat } = useMixed(),
    others = cast.filter((row) => row.id !== character.id);
  return (
    <div className={styles.seats}>
      {SEATS.map((k) => {
        const sits = people[k]?.character ?? '';
        return (
          <NativeSelect
            key={k}
            size="xs"
            label={k === 0 ? 'With' : 'And with'}
            disabled={k > people.length}
            value={sits}
            onChange={(event) => seat(k, event.target.value || null)}
            data={[
              { value: '', label: 'nobody' },
              ...others
                .filter((row) => row.revisionId === sits || !people.some((each) => each.character === row.revisionId))
                .map((row) => ({ value: row.revisionId, label: row.name })),
              ...(sits && !others.some((row) => row.revisionId === sits)
                ? [{ value: sits, label: 'an earlier revision' }]
                : []),
            ]}
          />
        );
      })}
    </div>
  );
}

function Shares() {
  const { mix } = useDesk(),
    dispatch = useAppDispatch(),
    region = useAppSelector((state) => state.view.mixRegion),
    { people, weights, drag, settle, share, all } = useMixed(),
    names = useMixNames(),
    shares = everyShare(weights, region),
    [seed, setSeed] = useState(1);
  return (
    <>
      <div className={styles.control}>
        <MixPad
          names={names}
          shares={shares}
          label={`Shares of people: ${REGION_NAMES[region]}`}
          onDrag={(others) => drag(region, others)}
          onSettle={settle}
          onPut={(others) => share(region, others)}
        />
        <div className={styles.people}>
          <b>{REGION_NAMES[region]}</b>
          {names.map((name, i) => (
            <span key={name + String(i)}>
              <i className={`${styles.dot} ${styles[`person${i}`]}`} />
              {name} <span className="num quiet">{Math.round(shares[i] * 100)} %</span>
            </span>
          ))}
        </div>
      </div>
      <div className={styles.regions} role="listbox" aria-label="Regions" tabIndex={-1} onKeyDown={listArrows}>
        {EVERY_REGION.map((each) => (
          <div
            key={each}
            role="option"
            tabIndex={each === region ? 0 : -1}
            aria-selected={each === region}
            aria-label={`${REGION_NAMES[each]}: ${everyShare(weights, each)
              .map((value, i) => `${names[i]} ${Math.round(value * 100)} %`)
              .join(', ')}`}
            className={styles.region}
            onClick={() => dispatch(mixRegionChosen(each))}
            onKeyDown={() => {}}
          >
            {REGION_NAMES[each]}
            <span className={styles.bar}>
              {everyShare(weights, each).map((value, i) => (
                <i key={names[i] + String(i)} className={styles[`person${i}`]} style={{ width: `${value * 100}%` }} />
              ))}
            </span>
          </div>
        ))}
      </div>
      <div className={styles.acts}>
        <NumberInput
          size="xs"
          w={92}
          label="Seed"
          min={1}
          max={9999}
          value={seed}
          onChange={(value) => setSeed(Math.max(1, Math.round(Number(value) || 1)))}
        />
        <Button
          size="compact-xs"
          variant="default"
          onClick={() => {
            all(randomMix(seed, people.length));
            setSeed(seed + 1);
          }}
        >
          Random mix
        </Button>
        <Button
          size="compact-xs"
          variant="default"
          onClick={() => all(people.map(() => ({ all: 1 / (people.length + 1) })))}
        >
          Even
        </Button>
        <Button size="compact-xs" variant="default" onClick={() => all(people.map(() => ({ all: 0 })))}>
          Back to itself
        </Button>
      </div>
      <Setting step="morphs.mix" name="softness" />
      <Setting step="morphs.mix" name="maps" />
      <Setting step="morphs.mix" name="joints" />
      <p className={`quiet ${styles.said}`} role="status">
        {mix.error ??
          (mix.busy
            ? 'Mixing …'
            : mix.mixed
              ? `The stage shows the mix${mix.mixed.border < Infinity ? `; its narrowest border is ${(mix.mixed.border * 100).toFixed(1)} cm wide` : ''}.`
              : '')}
      </p>
    </>
  );
}
