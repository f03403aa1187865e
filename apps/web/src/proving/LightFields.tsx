import { Switch } from '@mantine/core';
import { useEffect, useState } from 'react';
import styles from './proving.module.css';
import type { World } from './world.ts';

/** The sun, turned, and the lamps. */
export function LightFields({ world }: { world: World }) {
  const [around, setAround] = useState(40),
    [above, setAbove] = useState(38),
    [lamps, setLamps] = useState(false);
  useEffect(() => world.light(around, above, lamps), [world, around, above, lamps]);
  return (
    <>
      <h3>Light</h3>
      <label className={styles.slider}>
        <span>Sun from</span>
        <input
          type="range"
          min={-180}
          max={180}
          step={5}
          value={around}
          onChange={(event) => setAround(Number(event.target.value))}
        />
        <output className="num">{around}°</output>
      </label>
      <label className={styles.slider}>
        <span>Sun above</span>
        <input
          type="range"
          min={-5}
          max={85}
          step={1}
          value={above}
          onChange={(event) => setAbove(Number(event.target.value))}
        />
        <output className="num">{above}°</output>
      </label>
      <Switch
        label="Lamps"
        size="sm"
        checked={lamps}
        onChange={(event) => setLamps(event.currentTarget.checked)}
        mt={4}
      />
    </>
  );
}
