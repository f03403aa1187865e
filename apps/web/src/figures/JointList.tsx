import { TextInput } from '@mantine/core';
import type { Figure } from '@dimetra/core';
import { useMemo, useState } from 'react';
import { numbers } from '../shared/columns.ts';
import { DataTable } from '../shared/DataTable.tsx';
import styles from './figures.module.css';

/** Steps of indent that still tell something. */
const MOST_DEEP = 10;

interface JointListProps {
  figure: Figure;
  picked: string | null;
  onPick(name: string): void;
}

/** Joints of a figure as they hang. */
export function JointList({ figure, picked, onPick }: JointListProps) {
  const [filter, setFilter] = useState('');
  const depth = useMemo(() => depths(figure), [figure]),
    order = new Map(figure.joints.map((joint, i) => [joint.name, i]));
  return (
    <>
      <TextInput
        size="xs"
        placeholder="Filter"
        aria-label="Filter joints"
        value={filter}
        onChange={(event) => setFilter(event.target.value)}
        data-filter
        mb={6}
      />
      <DataTable
        label={`Joints of ${figure.title}`}
        rows={figure.joints.filter((joint) =>
          `${joint.name} ${joint.role}`.toLowerCase().includes(filter.toLowerCase()),
        )}
        keyOf={(joint) => joint.name}
        picked={picked}
        onPick={(joint) => onPick(joint.name)}
        columns={[
          {
            id: 'joint',
            head: 'Joint',
            title: 'In the order they hang, or by height',
            by: (joint) => order.get(joint.name) ?? 0,
            cellClass: 'num',
            cell: (joint) => (
              <span className={styles[`in${Math.min(MOST_DEEP, depth.get(joint.name) ?? 0)}`]}>{joint.name}</span>
            ),
          },
          { id: 'role', head: 'Role', by: (joint) => joint.role, cellClass: 'quiet', cell: (joint) => joint.role },
          numbers('height', 'Height, cm', (joint: Figure['joints'][number]) => joint.at[1] * 100, {
            show: (cm) => cm.toFixed(1),
          }),
        ]}
      />
    </>
  );
}

/** How many joints hang above each. */
function depths(figure: Figure): Map<string, number> {
  const above = new Map(figure.joints.map((joint) => [joint.name, joint.parent])),
    out = new Map<string, number>();
  const depthOf = (name: string): number => {
    const known = out.get(name);
    if (known !== undefined) return known;
    const parent = above.get(name),
      depth = parent ? depthOf(parent) + 1 : 0;
    out.set(name, depth);
    return depth;
  };
  for (const { name } of figure.joints) depthOf(name);
  return out;
}
