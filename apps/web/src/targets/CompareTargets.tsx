import { Checkbox } from '@mantine/core';
import { useState } from 'react';
import type { TargetRow } from '@dimetra/contract';

/** Two targets, line by line; what differs is marked. */
export function CompareTargets({ a, b }: { a: TargetRow; b: TargetRow }) {
  const [all, setAll] = useState(false);
  const flat = (value: unknown, path = ''): [string, string][] =>
    value && typeof value === 'object' && !Array.isArray(value)
      ? Object.entries(value).flatMap(([key, inner]) => flat(inner, path ? `${path}.${key}` : key))
      : [[path, Array.isArray(value) ? value.join(', ') : String(value)]];
  const left = new Map(flat(a)),
    right = new Map(flat(b));
  const keys = [...new Set([...left.keys(), ...right.keys()])].filter(
    (key) => !['schema', 'id', 'shipped'].includes(key),
  );
  return (
    <div>
      <Checkbox
        label="Also what is the same"
        checked={all}
        onChange={(event) => setAll(event.currentTarget.checked)}
        mb={10}
      />
      <table className="list">
        <thead>
          <tr>
            <th />
            <th>{a.title}</th>
            <th>{b.title}</th>
          </tr>
        </thead>
        <tbody>
          {keys
            .filter((key) => all || left.get(key) !== right.get(key))
            .map((key) => (
              <tr key={key}>
                <td className="quiet">{key}</td>
                <td className="num">{left.get(key) ?? '–'}</td>
                <td className="num">{right.get(key) ?? '–'}</td>
              </tr>
            ))}
        </tbody>
      </table>
    </div>
  );
}
