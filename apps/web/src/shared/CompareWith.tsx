import { NativeSelect } from '@mantine/core';

/** What the one that is open is set beside; '' for nothing. */
export function CompareWith({
  rows,
  open,
  value,
  onChange,
}: {
  rows: readonly { id: string; title: string }[];
  open: string | undefined;
  value: string;
  onChange(id: string): void;
}) {
  return (
    <NativeSelect
      size="xs"
      aria-label="Compare with"
      value={value}
      onChange={(event) => onChange(event.target.value)}
      data={[
        { value: '', label: 'Compare with …' },
        ...rows.filter((row) => row.id !== open).map((row) => ({ value: row.id, label: row.title })),
      ]}
    />
  );
}
