import { Button, TextInput } from '@mantine/core';
import { morphCosts } from '@dimetra/core';
import { useMemo, useState } from 'react';
import { megabytes } from '../shared/format.ts';
import { useDesk } from '../stage/context.ts';
import { StepHead } from '../step/StepHead.tsx';
import { useAppDispatch, useAppSelector } from '../store/store.ts';
import { morphsReset } from '../store/view-slice.ts';
import styles from './Morphs.module.css';
import { MorphTable } from './MorphTable.tsx';

/** Dials for looking, with what each morph moves and how well it survived. */
export function MorphsBench() {
  const { character, figures, finished } = useDesk(),
    dispatch = useAppDispatch(),
    active = useAppSelector((state) => Object.keys(state.view.morphs).length),
    [filter, setFilter] = useState('');
  const costs = useMemo(() => (figures.source ? morphCosts(figures.source.document) : []), [figures.source]),
    off = useMemo(
      () => new Map(finished?.parity?.shape.morphs.map((row) => [row.name, row.rmsMm]) ?? []),
      [finished?.parity],
    ),
    rows = useMemo(() => costs.filter((row) => row.name.toLowerCase().includes(filter.toLowerCase())), [costs, filter]);
  return (
    <>
      <StepHead title="Morphs">
        {character.revision.summary.morphTargets.length} morph targets,{' '}
        {megabytes(costs.reduce((sum, row) => sum + row.bytes, 0))} MB if stored densely. All are kept; each is measured
        after every run.
      </StepHead>
      <div className={styles.head}>
        <TextInput
          size="xs"
          className={styles.filter}
          placeholder="Filter"
          value={filter}
          onChange={(event) => setFilter(event.target.value)}
          data-filter
          aria-label="Filter morphs"
        />
        <Button size="xs" variant="default" disabled={!active} onClick={() => dispatch(morphsReset())}>
          {active ? `Reset ${active}` : 'At rest'}
        </Button>
      </div>
      {!figures.source && <p className="quiet">Loading the figure …</p>}
      {rows.length > 0 && <MorphTable rows={rows} off={off} />}
      {figures.source && rows.length === 0 && (
        <p className="quiet">{costs.length ? 'No morph is called that.' : 'This character has no morphs.'}</p>
      )}
      <p className="quiet">Moves: vertices. Up to and off by (RMS of the result): millimetres.</p>
    </>
  );
}
