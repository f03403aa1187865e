import { useEffect, useState } from 'react';
import { MOST_IN_CROWD } from './crowd.ts';
import { Slider } from './Slider.tsx';
import type { World } from './world.ts';

/** How many more of it stand on the quay. */
export function CrowdField({ world }: { world: World }) {
  const [count, setCount] = useState(0);
  useEffect(() => world.populate(count), [world, count]);
  return (
    <>
      <h3>Crowd</h3>
      <Slider
        label="Others"
        says="How many others"
        value={count}
        min={0}
        max={MOST_IN_CROWD}
        step={1}
        onChange={setCount}
      />
    </>
  );
}
