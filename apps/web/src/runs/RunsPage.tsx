import { Button, Progress } from '@mantine/core';
import { useState } from 'react';
import { Link } from 'react-router';
import { sentenceOf, useCancelRunMutation, useRunsQuery, useStorageQuery, useTargetsQuery } from '../api/api.ts';
import { isActive, type Stored } from '@dimetra/contract';
import { ago, megabytes } from '../shared/format.ts';

const WORDS = {
  queued: '○ waiting',
  running: '◌ running',
  cancelling: '◌ stopping',
  cancelled: '○ stopped',
  done: '● done',
  failed: '■ failed',
} as const;

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
      {runs?.length === 0 && (
        <p className="quiet">
          {page === 1
            ? 'Nothing has run yet. Open a character, choose a target, and press Run.'
            : 'There are no older runs.'}
        </p>
      )}
      {runs && runs.length > 0 && (
        <table className="list">
          <thead>
            <tr>
              <th>Character</th>
              <th>Target</th>
              <th>State</th>
              <th className="n">Steps done</th>
              <th className="n">Taken over</th>
              <th className="n">Seconds</th>
              <th className="n">Package</th>
              <th className="n">When</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {runs.map((run) => {
              const active = isActive(run);
              return (
                <tr key={run.id}>
                  <td>
                    <Link to={`/c/${run.characterId}/${run.targetId}/check`} style={{ color: 'inherit' }}>
                      {run.character}
                    </Link>
                  </td>
                  <td>{targets.find((row) => row.id === run.targetId)?.title ?? run.targetId}</td>
                  <td style={{ minWidth: 170 }}>
                    {WORDS[run.state]}
                    {active && (
                      <Progress value={run.progress * 100} size={4} mt={3} color="var(--done)" aria-label="Progress" />
                    )}
                    {run.error && (
                      <div className="quiet" style={{ fontSize: 12 }}>
                        {run.error.message}
                      </div>
                    )}
                  </td>
                  <td className="n">
                    {run.message && active ? <span className="quiet">{run.message} </span> : ''}
                    <span className="num">{run.done}</span>
                  </td>
                  <td className="n num">{run.known}</td>
                  <td className="n num">
                    {run.startedAt && run.finishedAt
                      ? ((new Date(run.finishedAt).getTime() - new Date(run.startedAt).getTime()) / 1000).toFixed(1)
                      : '–'}
                  </td>
                  <td className="n num">{run.deliveryBytes ? `${megabytes(run.deliveryBytes)} MB` : '–'}</td>
                  <td className="n">{ago(run.createdAt)}</td>
                  <td className="n">
                    {active ? (
                      <Button size="compact-xs" variant="default" onClick={() => cancel(run.id)}>
                        Stop
                      </Button>
                    ) : run.state === 'done' ? (
                      <Link to={`/report/${run.id}`} style={{ color: 'inherit' }}>
                        Report
                      </Link>
                    ) : null}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
      <div style={{ display: 'flex', gap: 8, marginTop: 14 }}>
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
