import { MultiSelect } from '@mantine/core';
import type { Target } from '@dimetra/core';
import { useSaid } from './at-hand.tsx';
import type { FieldsProps } from './fields.ts';
import { NumberField } from './NumberField.tsx';
import { Section } from './Section.tsx';
import styles from './targets.module.css';

type Appearance = Target['appearance'];
/** Numbers of the section: what is written over the field, and said when the pointer rests on it. */
const NUMBERS: readonly {
  name: Exclude<keyof Appearance, 'noteOnly'>;
  label: string;
  says: string;
  decimals?: number;
}[] = [
  { name: 'nearestM', label: 'Seen from, m', says: 'How near the viewer comes.', decimals: 2 },
  {
    name: 'other',
    label: 'Other material, ΔE·px',
    says: 'Heaviest place where another material shows than in the source: ΔE above 8, summed over its pixels.',
  },
  {
    name: 'changed',
    label: 'Looks different, ΔE·px',
    says: 'Heaviest place where the same material looks different.',
  },
  {
    name: 'drawn',
    label: 'Drawn otherwise, ΔE·px',
    says: 'Heaviest place that a usual engine draws otherwise than meant: layers that it can’t sort, cut-outs that crumble.',
  },
  { name: 'cover', label: 'Cover lost, %', says: 'What a material may lose of the pixels it shows on.' },
];
const NOTE_ONLY = [
  { value: 'other', label: 'Another material' },
  { value: 'changed', label: 'Looks different' },
  { value: 'drawn', label: 'Drawn otherwise' },
  { value: 'cover', label: 'Cover lost' },
];

/** How like its source the result must look. */
export function AppearanceFields({ draft, change }: FieldsProps) {
  const said = useSaid();
  const { appearance } = draft,
    put = (more: Partial<Appearance>) => change({ appearance: { ...appearance, ...more } });
  return (
    <Section title="How like its source it looks">
      {NUMBERS.map(({ name, label, says, decimals }) => (
        <div key={name} title={says} className={styles.row}>
          <NumberField
            label={label}
            field={`appearance.${name}`}
            value={appearance[name]}
            onChange={(value) => put({ [name]: value ?? 0 })}
            decimals={decimals}
          />
        </div>
      ))}
      <MultiSelect
        label="Of appearance only noted"
        {...said('appearance.noteOnly')}
        value={appearance.noteOnly}
        onChange={(noteOnly) => put({ noteOnly: noteOnly as Appearance['noteOnly'] })}
        data={NOTE_ONLY}
        placeholder={appearance.noteOnly.length ? '' : 'every limit blocks'}
        className={styles.wide}
      />
    </Section>
  );
}
