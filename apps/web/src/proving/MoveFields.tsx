import { NativeSelect } from '@mantine/core';
import { useState } from 'react';
import { MOVEMENTS, type Movement } from './movements.ts';
import styles from './proving.module.css';
import type { Tried, World } from './world.ts';

const NAMES: Record<Movement, string> = { idle: 'Stands', walk: 'Walks', run: 'Runs', turn: 'Turns', climb: 'Climbs' };

/** Which motion each movement has, the package's own or one that ships, and one to be shown where it stands. */
export function MoveFields({ world, tried: { motions, chosen } }: { world: World; tried: Tried }) {
  const [moves, setMoves] = useState(chosen),
    [shown, setShown] = useState('');
  if (!motions.length)
    return <p className="quiet says">It has no joints that motions could play on, and stands as it is.</p>;
  const choices = motions.map(({ clip, own }, i) => ({
    value: String(i),
    label: own ? clip.name : `${clip.name} (ours)`,
  }));
  return (
    <>
      <h3>Moves</h3>
      <div className={styles.rows}>
        {MOVEMENTS.map((movement) => (
          <label key={movement} htmlFor={`move-${movement}`}>
            <span>{NAMES[movement]}</span>
            <NativeSelect
              id={`move-${movement}`}
              size="xs"
              value={String(moves[movement] ?? '')}
              onChange={(event) => {
                const motion = Number(event.target.value);
                setMoves({ ...moves, [movement]: motion });
                world.choose(movement, motion);
              }}
              data={choices}
            />
          </label>
        ))}
        <label htmlFor="move-shown">
          <span>Shows</span>
          <NativeSelect
            id="move-shown"
            size="xs"
            value={shown}
            onChange={(event) => {
              setShown(event.target.value);
              world.show(event.target.value === '' ? null : Number(event.target.value));
            }}
            data={[{ value: '', label: 'What it does' }, ...choices]}
          />
        </label>
      </div>
    </>
  );
}
