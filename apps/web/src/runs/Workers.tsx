import type { WorkerRow } from '@dimetra/contract';
import { Link } from 'react-router';
import { useTargetsQuery, useWorkersQuery } from '../api/api.ts';
import { numbers } from '../shared/columns.ts';
import { DataTable } from '../shared/DataTable.tsx';
import { ago } from '../shared/format.ts';
import styles from './RunsPage.module.css';

const WORDS: Record<WorkerRow['state'], string> = {
  working: '◌ at work',
  idle: '● waits',
  silent: '■ silent',
  left: '○ ended',
};
const LISTEN_MS = 4000;

/** Who takes runs, on this machine and others, and what each is at. */
export function Workers() {
  const { data: workers } = useWorkersQuery(undefined, { pollingInterval: LISTEN_MS }),
    { data: targets = [] } = useTargetsQuery();
  if (!workers) return null;
  const listening = workers.filter(({ state }) => state === 'working' || state === 'idle');
  return (
    <details className="folded" data-workers={listening.length} open={workers.length > 1 || !listening.length}>
      <summary>
        {listening.length === 1 ? 'One worker takes' : `${listening.length || 'No'} workers take`} runs
        {listening.length === 0 && ': start one with ./dimetra worker --database URL'}
      </summary>
      {workers.length > 0 && (
        <DataTable
          label="Workers"
          rows={workers}
          keyOf={(row) => row.id}
          columns={[
            { id: 'name', head: 'Worker', by: (row) => row.name, cell: (row) => `${row.name}, ${row.pid}` },
            {
              id: 'state',
              head: 'State',
              cellClass: styles.state,
              by: (row) => WORDS[row.state],
              cell: (row) => WORDS[row.state],
            },
            {
              id: 'at',
              head: 'Is at',
              by: (row) => row.runs[0]?.character ?? '',
              cell: (row) =>
                row.runs.map((run) => (
                  <div key={run.runId}>
                    <Link to={`/c/${run.characterId}/${run.targetId}/check`} className={styles.link}>
                      {run.character}
                    </Link>{' '}
                    for {targets.find(({ id }) => id === run.targetId)?.title ?? run.targetId},{' '}
                    <span className="num">{Math.round(run.progress * 100)}</span> %
                  </div>
                )),
            },
            numbers('finished', 'Finished', (row: WorkerRow) => row.finished),
            numbers('threads', 'At once', (row: WorkerRow) => row.threads),
            numbers('memory', 'MB for each', (row: WorkerRow) => row.memoryMb),
            {
              id: 'heard',
              head: 'Heard',
              className: 'n',
              by: (row) => Date.parse(row.heardAt),
              cell: (row) => ago(row.heardAt),
            },
          ]}
        />
      )}
    </details>
  );
}
