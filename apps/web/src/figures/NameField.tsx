import { TextInput } from '@mantine/core';

interface NameFieldProps {
  name: string;
  maxLength: number;
  /** Gives it another name; false where that can't be: then the field goes back. */
  rename(next: string): boolean;
}

/** A name in a row of the editor, taken when the field is left. */
export function NameField({ name, maxLength, rename }: NameFieldProps) {
  return (
    <TextInput
      size="xs"
      aria-label={`Name of ${name}`}
      defaultValue={name}
      maxLength={maxLength}
      onBlur={(event) => {
        if (!rename(event.target.value)) event.target.value = name;
      }}
    />
  );
}
