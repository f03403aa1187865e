import { MultiSelect } from '@mantine/core';

/** Several names for a setting of a step; chosen ones that are gone stay to be taken out. */
export function ChooseMany({
  label,
  none,
  names,
  value = [],
  onChange,
}: {
  label: string;
  /** What it says while none is chosen. */
  none: string;
  names: readonly string[];
  value: string[] | undefined;
  onChange(value: string[] | undefined): void;
}) {
  return (
    <MultiSelect
      size="xs"
      label={label}
      w="100%"
      searchable
      clearable
      placeholder={value.length ? undefined : none}
      value={value}
      onChange={(next) => onChange(next.length ? next : undefined)}
      data={[...new Set([...names, ...value])]}
    />
  );
}
