import { NumberInput } from '@mantine/core';
import { useSaid } from './at-hand.tsx';

interface NumberFieldProps {
  label: string;
  /** Its path in the target, for what there is to say of it. */
  field: string;
  /** Empty where nothing is asked. */
  value: number | undefined;
  onChange(value: number | undefined): void;
  decimals?: number;
}

/** A number of a target, empty where it asks for none. */
export function NumberField({ label, field, value, onChange, decimals }: NumberFieldProps) {
  return (
    <NumberInput
      label={label}
      size="sm"
      value={value ?? ''}
      thousandSeparator=","
      min={0}
      decimalScale={decimals}
      onChange={(next) => onChange(next === '' ? undefined : Number(next))}
      {...useSaid()(field)}
    />
  );
}
