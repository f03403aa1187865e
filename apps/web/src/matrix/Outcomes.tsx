import { Link } from 'react-router';
import { count } from '../shared/format.ts';
import { DataTable } from '../shared/DataTable.tsx';
import { outcomeOf } from '../shared/outcome.ts';
import { badness, type Cell, keyOf } from './cells.ts';
import styles from './matrix.module.css';

const text = (value: number | string, unit: string): string =>
  `${typeof value === 'number' ? count(Math.round(value * 1000) / 1000) : value}${unit && ` ${unit}`}`;

/** What every run came to, the worst first: why it failed, or the rule that it breaks or comes nearest to breaking. */
export function Outcomes({ cells }: { cells: readonly Cell[] }) {
  const rows = cells.filter(({ entry }) => entry?.state === 'failed' || (entry?.state === 'done' && entry.verdict));
  if (!rows.length) return null;
  return (
    <section className={styles.outcomes}>
      <h2>What came of it</h2>
      <DataTable
        label="What came of it, the worst first"
        rows={rows}
        keyOf={keyOf}
        order={{ by: 'worst', desc: true }}
        columns={[
          {
            id: 'character',
            head: 'Character',
            by: ({ character }) => character.name,
            cell: ({ character, target }) => (
              <Link to={`/c/${character.id}/${target.id}/check`} className={styles.state}>
                {character.name}
              </Link>
            ),
          },
          {
            id: 'target',
            head: 'Target',
            by: ({ target }) => target.title,
            cell: ({ target }) => target.title,
          },
          { id: 'state', head: 'State', by: ({ entry }) => outcomeOf(entry), cell: ({ entry }) => outcomeOf(entry) },
          {
            id: 'rule',
            head: 'Stands worst',
            by: ({ entry }) => entry?.worst?.title ?? entry?.problem ?? '',
            cell: ({ entry }) => entry?.problem ?? entry?.worst?.title ?? 'nothing near its limit',
          },
          {
            id: 'measured',
            head: 'Measured',
            className: 'n',
            cell: ({ entry }) => (entry?.worst ? text(entry.worst.measured, entry.worst.unit) : ''),
          },
          {
            id: 'limit',
            head: 'Limit',
            className: 'n',
            cell: ({ entry }) => (entry?.worst ? text(entry.worst.limit, entry.worst.unit) : ''),
          },
          {
            id: 'worst',
            head: 'Of the limit',
            className: 'n',
            by: badness,
            cell: ({ entry }) => (entry?.worst?.share == null ? '' : `${Math.round(entry.worst.share * 100)} %`),
          },
        ]}
      />
    </section>
  );
}
