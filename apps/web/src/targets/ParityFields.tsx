import { MultiSelect } from '@mantine/core';
import type { Target } from '@dimetra/core';
import { useSaid } from './at-hand.tsx';
import type { FieldsProps } from './fields.ts';
import { NumberField } from './NumberField.tsx';
import { Section } from './Section.tsx';
import styles from './targets.module.css';

const NOTE_ONLY = [
  { value: 'rest', label: 'At rest' },
  { value: 'part', label: 'Worst part' },
  { value: 'skin', label: 'Skin through clothes' },
  { value: 'pose', label: 'Worst pose' },
  { value: 'pose-max', label: 'Largest in a pose' },
  { value: 'inventory', label: 'Parts and morphs lost' },
];

/** How near the result must be to its source, and how tall. */
export function ParityFields({ draft, change }: FieldsProps) {
  const said = useSaid();
  return (
    <Section title="How near to its source">
      <NumberField
        label="At rest, RMS mm"
        field="parity.restRmsMm"
        value={draft.parity.restRmsMm}
        onChange={(value) => change({ parity: { ...draft.parity, restRmsMm: value ?? 0 } })}
        decimals={3}
      />
      <NumberField
        label="Worst part, RMS mm"
        field="parity.partRmsMm"
        value={draft.parity.partRmsMm}
        onChange={(partRmsMm) => change({ parity: { ...draft.parity, partRmsMm } })}
        decimals={2}
      />
      <NumberField
        label="Skin through clothes, cm²"
        field="parity.skinCm2"
        value={draft.parity.skinCm2}
        onChange={(skinCm2) => change({ parity: { ...draft.parity, skinCm2 } })}
        decimals={1}
      />
      <NumberField
        label="Worst pose, RMS mm"
        field="parity.poseRmsMm"
        value={draft.parity.poseRmsMm}
        onChange={(value) => change({ parity: { ...draft.parity, poseRmsMm: value ?? 0 } })}
        decimals={3}
      />
      <NumberField
        label="Largest in a pose, mm"
        field="parity.poseMaxMm"
        value={draft.parity.poseMaxMm}
        onChange={(value) => change({ parity: { ...draft.parity, poseMaxMm: value ?? 0 } })}
        decimals={1}
      />
      <MultiSelect
        label="Only noted, doesn't block"
        {...said('parity.noteOnly')}
        value={draft.parity.noteOnly}
        onChange={(noteOnly) =>
          change({ parity: { ...draft.parity, noteOnly: noteOnly as Target['parity']['noteOnly'] } })
        }
        data={NOTE_ONLY}
        placeholder={draft.parity.noteOnly.length ? '' : 'every limit blocks'}
        className={styles.wide}
      />
      <NumberField
        label="Height from, cm"
        field="heightCm.min"
        value={draft.heightCm.min}
        onChange={(value) => change({ heightCm: { ...draft.heightCm, min: value ?? 0 } })}
      />
      <NumberField
        label="Height to, cm"
        field="heightCm.max"
        value={draft.heightCm.max}
        onChange={(value) => change({ heightCm: { ...draft.heightCm, max: value ?? 0 } })}
      />
    </Section>
  );
}
