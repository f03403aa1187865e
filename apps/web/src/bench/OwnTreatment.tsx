import type { ReactNode } from 'react';
import { Button, ColorInput, MultiSelect, NumberInput, Switch, TextInput } from '@mantine/core';
import type { Treatment } from '@dimetra/core';
import {
  numberIn,
  TREATMENT_NUMBERS,
  tintOf,
  withAcrossStrands,
  withNumber,
  withoutPaintedHighlight,
  withTint,
} from './treatment-fields.ts';
import styles from './TreatmentCard.module.css';

interface OwnProps {
  treatment: Treatment;
  change(treatment: Treatment): void;
  worn: string[];
  materials: string[];
  wear(names: string[]): void;
  /** Materials that are the same as the one at hand. */
  sameKind: { kind: string; names: string[] };
  children?: ReactNode;
}

/** What a treatment of one's own says: a number that isn't there changes nothing. */
export function OwnTreatment({ treatment, change, worn, materials, wear, sameKind, children }: OwnProps) {
  return (
    <>
      <div className={styles.row}>
        <TextInput
          size="xs"
          label="Called"
          className={styles.grow}
          key={treatment.id}
          defaultValue={treatment.title}
          maxLength={80}
          onBlur={({ currentTarget: { value } }) => {
            // Without a name it keeps the one it had.
            if (value.trim() && value !== treatment.title) change({ ...treatment, title: value.trim() });
          }}
        />
        <ColorInput
          size="xs"
          label="Tint"
          className={styles.grow}
          placeholder="as it is"
          value={tintOf(treatment)}
          onChange={(value) => change(withTint(treatment, value))}
        />
        <NumberInput
          size="xs"
          label="Tint, how far"
          className={styles.small}
          disabled={!treatment.channels.color?.tint}
          value={treatment.channels.color?.tint ? treatment.channels.color.strength : ''}
          min={0}
          max={1}
          step={0.1}
          onChange={(value) => typeof value === 'number' && change(withTint(treatment, tintOf(treatment), value))}
        />
      </div>
      <div className={styles.numbers}>
        {TREATMENT_NUMBERS.map((number) => (
          <NumberInput
            key={number.channel + (number.field ?? '')}
            size="xs"
            label={number.label}
            title={number.says}
            placeholder="as it is"
            value={numberIn(treatment, number) ?? ''}
            min={number.least ?? 0}
            max={number.most}
            step={number.step}
            decimalScale={3}
            onChange={(value) => change(withNumber(treatment, number, typeof value === 'number' ? value : undefined))}
          />
        ))}
      </div>
      <Switch
        size="xs"
        label="A highlight painted across strands is taken out"
        checked={treatment.channels.color?.noHighlight ?? false}
        onChange={({ currentTarget: { checked } }) => change(withoutPaintedHighlight(treatment, checked))}
      />
      {treatment.channels.anisotropy && (
        <Switch
          size="xs"
          label="Turned across the strands of the map"
          checked={treatment.channels.anisotropy.acrossStrands}
          onChange={({ currentTarget: { checked } }) => change(withAcrossStrands(treatment, checked))}
        />
      )}
      <div className={styles.row}>
        <MultiSelect
          size="xs"
          label="Worn by"
          className={styles.whole}
          searchable
          value={worn}
          onChange={wear}
          data={materials}
        />
        {sameKind.names.some((name) => !worn.includes(name)) && (
          <Button size="compact-sm" variant="default" onClick={() => wear([...new Set([...worn, ...sameKind.names])])}>
            All {sameKind.kind} as one
          </Button>
        )}
      </div>
      {children}
    </>
  );
}
