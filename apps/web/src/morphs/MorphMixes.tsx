import { Button, Select, TextInput } from '@mantine/core';
import { notifications } from '@mantine/notifications';
import { BASE, parseMixes } from '@dimetra/core';
import { useState } from 'react';
import { BringIn, ExportJson } from '../shared/JsonFile.tsx';
import { mixForgotten, mixesKept } from '../store/recipe-slice.ts';
import { useAppDispatch, useAppSelector } from '../store/store.ts';
import { morphsDialled } from '../store/view-slice.ts';
import styles from './Morphs.module.css';
import { useMorphSettings } from './use-morphs.ts';

const NONE: readonly never[] = [];

/** The mix that is dialled: folded into the shape at rest or one morph, kept under a name, or one of the kept ones taken up again. */
export function MorphMixes({ names }: { names: readonly string[] }) {
  const dispatch = useAppDispatch(),
    dialled = useAppSelector((state) => state.view.morphs),
    mixes = useAppSelector((state) => state.recipe.recipe?.mixes) ?? NONE,
    { fold, setFold } = useMorphSettings(),
    [name, setName] = useState(''),
    off = Object.keys(dialled).length,
    called = name.trim(),
    taken = called !== '' && names.includes(called) && !(called in dialled);
  const bring = (value: unknown) => {
    const brought = parseMixes(value),
      strange = [...new Set(brought.flatMap((mix) => Object.keys(mix.weights)))].filter(
        (morph) => !names.includes(morph),
      );
    dispatch(mixesKept(brought));
    if (strange.length)
      notifications.show({
        message: `This character has no morph ${strange
          .slice(0, 4)
          .map((morph) => `“${morph}”`)
          .join(', ')}${strange.length > 4 ? ' …' : ''}. The mixes are kept; those do nothing in them.`,
      });
  };
  return (
    <section className="card" aria-label="Mix">
      <div className="top">
        <span>Mix</span>
        <span className="num quiet">{off ? `${off} dialled` : 'nothing is dialled'}</span>
      </div>
      <div className={styles.mix}>
        <TextInput
          size="xs"
          aria-label="Name of the mix"
          placeholder="Name of the mix"
          value={name}
          maxLength={200}
          onChange={(event) => setName(event.target.value)}
          error={taken ? 'There is a morph of that name.' : undefined}
        />
        <Button
          size="compact-xs"
          variant="default"
          disabled={!off || !called}
          onClick={() => dispatch(mixesKept([{ name: called, weights: dialled }]))}
        >
          Keep
        </Button>
      </div>
      <div className={styles.mix}>
        <Button
          size="compact-xs"
          variant="default"
          disabled={!off || !called || taken}
          onClick={() =>
            setFold('mixes', [
              ...(fold.mixes ?? []).filter((mix) => mix.name !== called),
              { name: called, weights: dialled },
            ])
          }
        >
          Fold into one morph
        </Button>
        <Button
          size="compact-xs"
          disabled={!off}
          onClick={() => {
            setFold('fold', dialled);
            if (fold.into !== undefined && fold.into !== BASE) setFold('into', undefined);
          }}
        >
          Fold into the shape at rest
        </Button>
      </div>
      <div className={styles.mix}>
        <Select
          size="xs"
          aria-label="Kept mixes"
          placeholder={mixes.length ? 'Take up a kept mix' : 'No mix is kept yet'}
          disabled={!mixes.length}
          data={mixes.map((mix) => mix.name)}
          value={null}
          searchable
          onChange={(value) => {
            const mix = mixes.find((one) => one.name === value);
            if (!mix) return;
            setName(mix.name);
            dispatch(morphsDialled(mix.weights));
          }}
        />
        {mixes.some((mix) => mix.name === called) && (
          <Button size="compact-xs" variant="default" onClick={() => dispatch(mixForgotten(called))}>
            Forget
          </Button>
        )}
        <BringIn what="mixes" onBring={bring} />
        {mixes.length > 0 && <ExportJson name="mixes.json" value={mixes} />}
      </div>
    </section>
  );
}
