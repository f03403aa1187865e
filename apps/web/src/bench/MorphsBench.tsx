import { Button, Slider, TextInput } from '@mantine/core';
import { morphCosts } from '@dimetra/core';
import { useMemo, useState } from 'react';
import { useDesk } from '../stage/context.ts';
import { count, megabytes, millimetres } from '../shared/format.ts';
import { useAppDispatch, useAppSelector } from '../store/store.ts';
import { morphDialled, morphsReset } from '../store/view-slice.ts';
import { StepHead } from '../step/StepHead.tsx';

/** Dials for looking, with what each morph moves and how well it survived. */
export function MorphsBench() {
  const { character, figures, finished } = useDesk();
  const dispatch = useAppDispatch();
  const dialled = useAppSelector((state) => state.view.morphs);
  const [filter, setFilter] = useState('');
  const costs = useMemo(() => (figures.source ? morphCosts(figures.source.document) : []), [figures.source]);
  const parity = new Map(finished?.parity?.shape.morphs.map((row) => [row.name, row]) ?? []);
  const rows = costs.filter((row) => row.name.toLowerCase().includes(filter.toLowerCase()));
  const active = Object.keys(dialled).length;
  return (
    <>
      <StepHead title="Morphs">
        {character.revision.summary.morphTargets.length} morph targets,{' '}
        {megabytes(costs.reduce((sum, row) => sum + row.bytes, 0))} MB if stored densely. All are kept; each is measured
        after every run.
      </StepHead>
      <div style={{ display: 'flex', gap: 8, marginBottom: 6 }}>
        <TextInput
          size="xs"
          style={{ flex: 1 }}
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
      <table className="list">
        <thead>
          <tr>
            <th>Morph</th>
            <th className="n">Moves</th>
            <th className="n">Up to</th>
            <th className="n result">Off by</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <tr key={row.name}>
              <td style={{ width: '46%' }}>
                <span title={row.parts.join(', ')}>{row.name}</span>
                <Slider
                  size={3}
                  min={0}
                  max={1}
                  step={0.02}
                  value={dialled[row.name] ?? 0}
                  label={(value) => value.toFixed(2)}
                  onChange={(weight) => dispatch(morphDialled({ name: row.name, weight }))}
                  thumbLabel={`Dial ${row.name}`}
                  color="var(--ink-2)"
                />
              </td>
              <td className="n num">{count(row.moves)}</td>
              <td className="n num">{row.maxMm.toFixed(1)}</td>
              <td className="n num">{parity.has(row.name) ? millimetres(parity.get(row.name)?.rmsMm ?? 0) : '–'}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="quiet">Moves: vertices. Up to and off by (RMS of the result): millimetres.</p>
    </>
  );
}
