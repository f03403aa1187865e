import { Button, TextInput } from '@mantine/core';
import { useState } from 'react';
import styles from './proving.module.css';
import { Slider } from './Slider.tsx';
import type { World } from './world.ts';

/** Morphs, dialled while the figure goes about. */
export function MorphDials({ world, names }: { world: World; names: readonly string[] }) {
  const [weights, setWeights] = useState<Record<string, number>>({}),
    [wanted, setWanted] = useState('');
  if (!names.length) return null;
  const set = (next: Record<string, number>) => {
      setWeights(next);
      world.dial(next);
    },
    found = names.filter((name) => name.toLowerCase().includes(wanted.trim().toLowerCase()));
  return (
    <>
      <h3>
        Morphs
        {Object.values(weights).some(Boolean) && (
          <Button size="compact-xs" variant="default" onClick={() => set({})}>
            All to 0
          </Button>
        )}
      </h3>
      {names.length > 8 && (
        <TextInput
          size="xs"
          placeholder={`Find among ${names.length}`}
          aria-label="Find a morph"
          value={wanted}
          onChange={(event) => setWanted(event.target.value)}
          mb={4}
          data-filter
        />
      )}
      <div className={styles.dials}>
        {found.length === 0 && <p className="quiet">No morph is called that.</p>}
        {found.map((name) => (
          <Slider
            key={name}
            label={name}
            says={`Dial ${name}`}
            value={weights[name] ?? 0}
            min={0}
            max={1}
            step={0.01}
            show={(weight) => weight.toFixed(2)}
            onChange={(weight) => set({ ...weights, [name]: weight })}
          />
        ))}
      </div>
    </>
  );
}
