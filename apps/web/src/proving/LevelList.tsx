import { SegmentedControl } from '@mantine/core';
import { useState } from 'react';
import type { Facts } from './faults.ts';
import styles from './proving.module.css';
import type { Moment, World } from './world.ts';

interface LevelListProps {
  world: World;
  /** Triangles of the nearest. */
  nearest: number;
  levels: Facts['levels'];
  moment: Moment | null;
}

/** Levels of detail as they are switched by distance, or one of them held whatever the distance. */
export function LevelList({ world, nearest, levels, moment }: LevelListProps) {
  const [held, setHeld] = useState(''),
    rows = [{ n: 0, fromM: 0, triangles: nearest }, ...levels],
    others = moment?.crowd ? moment.crowdLevels : null;
  return (
    <>
      <h3>Levels of detail</h3>
      <SegmentedControl
        size="xs"
        fullWidth
        aria-label="Which level is shown"
        value={held}
        onChange={(value) => {
          setHeld(value);
          world.holdLevel(value === '' ? null : Number(value));
        }}
        data={[
          { value: '', label: 'By distance' },
          ...rows.map(({ n }) => ({ value: String(n), label: n ? String(n) : 'Nearest' })),
        ]}
      />
      <table className="list" aria-label="Levels of detail" data-level={moment?.level}>
        <thead>
          <tr>
            <th>Level</th>
            <th className="n">From, m</th>
            <th className="n">Triangles</th>
            {others && <th className="n">Others</th>}
          </tr>
        </thead>
        <tbody>
          {rows.map(({ n, fromM, triangles }) => (
            <tr key={n} className={n === moment?.level ? styles.shown : undefined}>
              <td>{n ? n : 'Nearest'}</td>
              <td className="n num">{fromM.toFixed(1)}</td>
              <td className="n num">{triangles.toLocaleString('en-GB')}</td>
              {others && <td className="n num">{others[n] ?? 0}</td>}
            </tr>
          ))}
        </tbody>
      </table>
      {moment && (
        <p className="quiet says">
          It is <span className="num">{moment.metres.toFixed(1)}</span> m from whoever looks
          {moment.level ? `, and shows level ${moment.level}` : ', and shows the nearest'}.
        </p>
      )}
    </>
  );
}
