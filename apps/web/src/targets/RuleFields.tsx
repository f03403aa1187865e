import { NativeSelect, TextInput } from '@mantine/core';
import { useState } from 'react';
import type { FieldsProps } from './fields.ts';
import styles from './targets.module.css';

const WEIGHTS = [
  { value: 'notes', label: 'Only noted' },
  { value: 'blocks', label: 'Stops delivery' },
  { value: '', label: 'As by itself' },
];

/** Rules that weigh otherwise for this target; at Check each broken one has a button for it. */
export function RuleFields({ draft, change }: FieldsProps) {
  const rules = draft.rules ?? {},
    [id, setId] = useState('');
  const put = (rule: string, weight: string) => {
    const { [rule]: _, ...rest } = rules,
      next = weight ? { ...rest, [rule]: weight as 'notes' | 'blocks' } : rest;
    change({ rules: Object.keys(next).length ? next : undefined });
  };
  return (
    <div className={`card ${styles.fields}`}>
      {Object.entries(rules).map(([rule, weight]) => (
        <NativeSelect
          key={rule}
          label={rule}
          value={weight}
          data={WEIGHTS}
          onChange={(event) => put(rule, event.target.value)}
        />
      ))}
      <TextInput
        label="A rule weighs otherwise"
        placeholder="triangles.max"
        size="sm"
        value={id}
        onChange={(event) => setId(event.target.value)}
        onKeyDown={(event) => {
          if (event.key !== 'Enter' || !id.trim()) return;
          put(id.trim(), 'notes');
          setId('');
        }}
        description="Its id, as the report has it; Enter takes it up."
        inputWrapperOrder={['label', 'input', 'description']}
        className={styles.wide}
      />
    </div>
  );
}
