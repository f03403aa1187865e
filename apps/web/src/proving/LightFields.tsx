import { Switch } from '@mantine/core';
import { useEffect, useState } from 'react';
import { Slider } from './Slider.tsx';
import type { World } from './world.ts';

const degrees = (value: number) => `${value}°`;

/** The sun, turned, and the lamps. */
export function LightFields({ world }: { world: World }) {
  const [around, setAround] = useState(40),
    [above, setAbove] = useState(38),
    [lamps, setLamps] = useState(false);
  useEffect(() => world.light(around, above, lamps), [world, around, above, lamps]);
  return (
    <>
      <h3>Light</h3>
      <Slider label="Sun from" value={around} min={-180} max={180} step={5} show={degrees} onChange={setAround} />
      <Slider label="Sun above" value={above} min={-5} max={85} step={1} show={degrees} onChange={setAbove} />
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
