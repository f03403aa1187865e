import { NumberInput } from '@mantine/core';

interface NumberCellProps {
  /** What it is, for whoever doesn't see the head of its column. */
  says: string;
  value: number;
  least: number;
  most?: number;
  step?: number;
  decimals?: number;
  onChange(value: number): void;
}

/** A number in a row of a table; left empty it is the least there may be. */
export const NumberCell = ({ says, value, least, most, step, decimals = 0, onChange }: NumberCellProps) => (
  <td>
    <NumberInput
      aria-label={says}
      size="xs"
      min={least}
      max={most}
      step={step}
      decimalScale={decimals}
      thousandSeparator=","
      value={value}
      onChange={(next) => onChange(Math.max(least, Number(next) || least))}
    />
  </td>
);
