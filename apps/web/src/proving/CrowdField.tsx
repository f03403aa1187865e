import { useEffect, useState } from 'react';
import { MOST_IN_CROWD } from './crowd.ts';
import styles from './proving.module.css';
import type { World } from './world.ts';

/** How many more of it stand on the quay. */
export function CrowdField({ world }: { world: World }) {
  const [count, setCount] = useState(0);
  useEffect(() => world.populate(count), [world, count]);
  return (
    <>
      <h3>Crowd</h3>
      <label className={styles.slider}>
        <span>Others</span>
        <input
          type="range"
          min={0}
          max={MOST_IN_CROWD}
          step={1}
          value={count}
          aria-label="How many others"
          onChange={(event) => setCount(Number(event.target.value))}
        />
        <output className="num">{count}</output>
      </label>
    </>
  );
}
