import { NativeSelect } from '@mantine/core';
import { useCharactersQuery } from '../api/api.ts';
import { useDesk } from '../stage/context.ts';

/** Another character of the cast for a setting of a step, by its revision. */
export function ChooseCharacter({
  label,
  value,
  none,
  onChange,
  w = 170,
}: {
  label: string;
  value: string | null | undefined;
  /** What it says while none is chosen. */
  none: string;
  onChange(revision: string | undefined): void;
  w?: number | string;
}) {
  const { character } = useDesk(),
    { data: cast = [] } = useCharactersQuery(),
    others = cast.filter((row) => row.id !== character.id);
  return (
    <NativeSelect
      size="xs"
      label={label}
      w={w}
      value={value ?? ''}
      onChange={(event) => onChange(event.target.value || undefined)}
      data={[
        { value: '', label: none },
        ...others.map((row) => ({ value: row.revisionId, label: row.name })),
        ...(value && !others.some((row) => row.revisionId === value) ? [{ value, label: 'an earlier revision' }] : []),
      ]}
    />
  );
}
