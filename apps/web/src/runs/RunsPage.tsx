import { Button, Progress } from '@mantine/core';
import { useState } from 'react';
import { Link } from 'react-router';
import { sentenceOf, useCancelRunMutation, useRunsQuery, useStorageQuery, useTargetsQuery } from '../api/api.ts';
import { isActive, type RunRow, type Stored } from '@dimetra/contract';
import { numbers } from '../shared/columns.ts';
import { DataTable } from '../shared/DataTable.tsx';
import { ago, megabytes } from '../shared/format.ts';
import { Workers } from './Workers.tsx';
import styles from './RunsPage.module.css';

const WORDS = {
  queued: '○ waiting',
  running: '◌ running',
  cancelling: '◌ stopping',
  cancelled: '○ stopped',
  done: '● done',
  failed: '■ failed',
} as const;

const secondsOf = ({ startedAt, finishedAt }: RunRow): number | null =>
  startedAt && finishedAt ? (Date.parse(finishedAt) - Date.parse(startedAt)) / 1000 : null;

/** What the database holds, and what for; what several need counts for each of them. */
function Kept({ stored: { total, characters, runs, results } }: { stored: Stored }) {
  return (
    <p className="quiet" data-stored>
      <span className="num">{megabytes(total)} MB</span> are stored:{' '}
      <span className="num">{megabytes(characters)}</span> of characters, <span className="num">{megabytes(runs)}</span>{' '}
      of runs and packages, <span className="num">{megabytes(results)}</span> of step results, kept sixty days at most
      so that a change does again only what it touches.
    </p>
  );
}

export function RunsPage() {
  const [page, setPage] = useState(1);
  const { data: runs, error } = useRunsQuery(page);
  const { data: targets = [] } = useTargetsQuery();
  const { data: stored } = useStorageQuery();
  const [cancel] = useCancelRunMutation();
  const titleOf = (run: RunRow) => targets.find((row) => row.id === run.targetId)?.title ?? run.targetId ?? '';
  return (
    <main className="page">
      <header>
        <div>
          <h1>Runs</h1>
          <span className="quiet">
            Newest first. A run goes on when this page is closed, and from its last finished step when its worker dies.
          </span>
          {stored && <Kept stored={stored} />}
        </div>
      </header>
      {error !== undefined && (
        <div className="card blocks" role="alert">
          <p>{sentenceOf(error)}</p>
        </div>
      )}
      <Workers />
      {runs?.length === 0 && (
        <p className="quiet">
          {page === 1
            ? 'Nothing has run yet. Open a character, choose a target, and press Run.'
            : 'There are no older runs.'}
        </p>
      )}
      {runs && runs.length > 0 && (
        <DataTable
          label="Runs"
          rows={runs}
          keyOf={(run) => run.id}
          columns={[
            {
              id: 'character',
              head: 'Character',
              by: (run) => run.character ?? '',
              cell: (run) => (
                <Link to={`/c/${run.characterId}/${run.targetId}/check`} className={styles.link}>
                  {run.character}
                </Link>
              ),
            },
            { id: 'target', head: 'Target', by: titleOf, cell: titleOf },
            {
              id: 'state',
              head: 'State',
              cellClass: styles.state,
              by: (run) => WORDS[run.state],
              cell: (run) => (
                <>
                  {WORDS[run.state]}
                  {isActive(run) && (
                    <Progress value={run.progress * 100} size={4} mt={3} color="var(--done)" aria-label="Progress" />
                  )}
                  {run.error && <div className={`quiet ${styles.small}`}>{run.error.message}</div>}
                </>
              ),
            },
            {
              id: 'done',
              head: 'Steps done',
              className: 'n',
              by: (run) => run.done,
              cell: (run) => (
                <>
                  {run.message && isActive(run) ? <span className="quiet">{run.message} </span> : ''}
                  <span className="num">{run.done}</span>
                </>
              ),
            },
            numbers('known', 'Taken over', (run: RunRow) => run.known),
            numbers('seconds', 'Seconds', secondsOf, { show: (seconds) => seconds.toFixed(1) }),
            numbers('package', 'Package', (run: RunRow) => run.deliveryBytes, {
              show: (bytes) => `${megabytes(bytes)} MB`,
            }),
            {
              id: 'when',
              head: 'When',
              className: 'n',
              by: (run) => Date.parse(run.createdAt),
              cell: (run) => ago(run.createdAt),
            },
            {
              id: 'acts',
              head: '',
              className: 'n',
              cell: (run) =>
                isActive(run) ? (
                  <Button size="compact-xs" variant="default" onClick={() => cancel(run.id)}>
                    Stop
                  </Button>
                ) : run.state === 'done' ? (
                  <Link to={`/report/${run.id}`} className={styles.link}>
                    Report
                  </Link>
                ) : null,
            },
          ]}
        />
      )}
      <div className="row apart">
        {page > 1 && (
          <Button size="compact-sm" variant="default" onClick={() => setPage(page - 1)}>
            Newer
          </Button>
        )}
        {runs?.length === 50 && (
          <Button size="compact-sm" variant="default" onClick={() => setPage(page + 1)}>
            Older
          </Button>
        )}
      </div>
    </main>
  );
}
