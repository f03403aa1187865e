import { NativeSelect } from '@mantine/core';
import { RULE_IDS } from '@dimetra/core';
import type { FieldsProps } from './fields.ts';
import { Section } from './Section.tsx';
import styles from './targets.module.css';

const WEIGHTS = [
  { value: 'notes', label: 'Only noted' },
  { value: 'blocks', label: 'Stops delivery' },
  { value: '', label: 'As by itself' },
];

/** Rules that weigh otherwise for this target; at Check each broken one has a button for it. */
export function RuleFields({ draft, change }: FieldsProps) {
  const rules = draft.rules ?? {};
  const put = (rule: string, weight: string) => {
    const { [rule]: _, ...rest } = rules,
      next = weight ? { ...rest, [rule]: weight as 'notes' | 'blocks' } : rest;
    change({ rules: Object.keys(next).length ? next : undefined });
  };
  return (
    <Section title="Rules that weigh otherwise">
      {Object.entries(rules).map(([rule, weight]) => (
        <NativeSelect
          key={rule}
          label={rule}
          value={weight}
          data={WEIGHTS}
          onChange={(event) => put(rule, event.target.value)}
        />
      ))}
      <NativeSelect
        label="A rule weighs otherwise"
        value=""
        data={[
          { value: '', label: 'Choose a rule' },
          ...RULE_IDS.filter((id) => !rules[id]).map((id) => ({ value: id, label: id })),
        ]}
        onChange={(event) => event.target.value && put(event.target.value, 'notes')}
        className={styles.wide}
      />
    </Section>
  );
}
