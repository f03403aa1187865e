import { Button, NativeSelect, Switch, TextInput } from '@mantine/core';
import { MORPH_GROUPS, MORPH_KINDS, type MorphRow } from '@dimetra/core';
import { useAppDispatch, useAppSelector } from '../store/store.ts';
import { morphsReset } from '../store/view-slice.ts';
import styles from './Morphs.module.css';

export interface MorphFilterValue {
  text: string;
  kind: string;
  group: string;
  dialled: boolean;
}
export const EVERY_MORPH: MorphFilterValue = { text: '', kind: '', group: '', dialled: false };

/** Whether a morph is shown. */
export const passes = (
  row: MorphRow,
  { text, kind, group, dialled }: MorphFilterValue,
  weights: Readonly<Record<string, number>>,
): boolean =>
  row.name.toLowerCase().includes(text.toLowerCase()) &&
  (!kind || row.kind === kind) &&
  (!group || row.group === group) &&
  (!dialled || Boolean(weights[row.name]));

const WORDS: Readonly<Record<string, string>> = {
  expression: 'Expressions',
  viseme: 'Visemes',
  corrective: 'Correctives',
  build: 'Build',
  identity: 'Identity',
  other: 'Other',
  whole: 'Whole figure',
  face: 'Face',
  nowhere: 'Nowhere',
};
const wordOf = (value: string): string => WORDS[value] ?? value[0].toUpperCase() + value.slice(1);

const COLUMNS = [
  { column: 'kind', label: 'What morphs are for', order: MORPH_KINDS, all: 'All kinds' },
  { column: 'group', label: 'Where morphs move the body', order: MORPH_GROUPS, all: 'All regions' },
] as const;

/** Choices of one column with how many there are of each; those that nothing is of are left out. */
function choices(rows: readonly MorphRow[], column: 'kind' | 'group', order: readonly string[], all: string) {
  const counts = new Map<string, number>();
  for (const row of rows) counts.set(row[column], (counts.get(row[column]) ?? 0) + 1);
  return [
    { value: '', label: `${all} (${rows.length})` },
    ...order
      .filter((value) => counts.has(value))
      .map((value) => ({ value, label: `${wordOf(value)} (${counts.get(value)})` })),
  ];
}

interface MorphFilterProps {
  rows: readonly MorphRow[];
  shown: readonly MorphRow[];
  value: MorphFilterValue;
  onChange(value: MorphFilterValue): void;
}

/** Finds morphs by name, by what they are for and by where they move the body; and puts dials back. */
export function MorphFilter({ rows, shown, value, onChange }: MorphFilterProps) {
  const dispatch = useAppDispatch(),
    weights = useAppSelector((state) => state.view.morphs),
    off = Object.keys(weights).length,
    offShown = shown.filter((row) => weights[row.name]).map((row) => row.name);
  return (
    <>
      <div className={styles.head}>
        <TextInput
          size="xs"
          className={styles.filter}
          placeholder="Filter"
          value={value.text}
          onChange={(event) => onChange({ ...value, text: event.target.value })}
          data-filter
          aria-label="Filter morphs"
        />
        {COLUMNS.map(({ column, label, order, all }) => (
          <NativeSelect
            key={column}
            size="xs"
            aria-label={label}
            value={value[column]}
            onChange={(event) => onChange({ ...value, [column]: event.target.value })}
            data={choices(rows, column, order, all)}
          />
        ))}
      </div>
      <div className={styles.head}>
        <Switch
          size="xs"
          className={styles.filter}
          label={`Only those that are dialled (${off})`}
          checked={value.dialled}
          onChange={(event) => onChange({ ...value, dialled: event.currentTarget.checked })}
        />
        {off > offShown.length && offShown.length > 0 && (
          <Button size="compact-xs" variant="default" onClick={() => dispatch(morphsReset(offShown))}>
            Reset these {offShown.length}
          </Button>
        )}
        <Button size="compact-xs" variant="default" disabled={!off} onClick={() => dispatch(morphsReset())}>
          {off ? `Reset ${off}` : 'At rest'}
        </Button>
      </div>
    </>
  );
}
