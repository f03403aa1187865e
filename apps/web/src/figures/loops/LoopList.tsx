import type { FigureLoop } from '@dimetra/core';
import { numbers } from '../../shared/columns.ts';
import { DataTable } from '../../shared/DataTable.tsx';

interface LoopListProps {
  title: string;
  loops: readonly FigureLoop[];
  picked: string | null;
  onPick(name: string): void;
}

export function LoopList({ title, loops, picked, onPick }: LoopListProps) {
  return (
    <DataTable
      label={`Loops of ${title}`}
      rows={loops}
      keyOf={({ name }) => name}
      picked={picked}
      onPick={({ name }) => onPick(name)}
      columns={[
        { id: 'loop', head: 'Loop', by: ({ name }) => name, cell: ({ name }) => name },
        numbers('length', 'Length, mm', lengthOf, { show: (mm) => mm.toFixed(0) }),
        {
          id: 'holds',
          head: 'In a wrap',
          title: 'Whether it is laid on the loop of that name',
          by: ({ holds }) => (holds ? 0 : 1),
          cellClass: 'quiet',
          cell: ({ holds }) => (holds ? 'holds' : 'let go'),
        },
      ]}
    />
  );
}

/** Millimetres around it. */
export function lengthOf({ at }: Pick<FigureLoop, 'at'>): number {
  const nodes = at.length / 3;
  let sum = 0;
  for (let i = 0; i < nodes; i++) {
    const j = (i + 1) % nodes;
    sum += Math.hypot(at[i * 3] - at[j * 3], at[i * 3 + 1] - at[j * 3 + 1], at[i * 3 + 2] - at[j * 3 + 2]);
  }
  return sum * 1000;
}
