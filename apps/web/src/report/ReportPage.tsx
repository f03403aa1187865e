import { Button } from '@mantine/core';
import { lazy, Suspense } from 'react';
import { useParams } from 'react-router';
import { sentenceOf, useRunQuery } from '../api/api.ts';
import styles from './ReportPage.module.css';

const ParityChart = lazy(async () => ({ default: (await import('./ParityChart.tsx')).ParityChart }));

/** A run's report: the chart of distances, and the page that travels in the package, printable. */
export function ReportPage() {
  const { runId = '' } = useParams();
  const { data: run, error } = useRunQuery(runId);
  if (error)
    return (
      <main className="page">
        <h1>This report can't be opened</h1>
        <p className="quiet">{sentenceOf(error)}</p>
      </main>
    );
  if (!run)
    return (
      <main className="page quiet" role="status">
        Opening the report …
      </main>
    );
  if (!run.deliveryId)
    return (
      <main className="page">
        <h1>There is no report</h1>
        <p className="quiet">The run was not finished. {run.error?.message}</p>
      </main>
    );
  const url = `/api/v1/deliveries/${run.deliveryId}/report`;
  return (
    <main className={`page ${styles.page}`}>
      <header>
        <div>
          <h1>Report</h1>
          <span className="quiet">{run.target.title}</span>
        </div>
        <Button component="a" variant="default" href={url} target="_blank" rel="noreferrer">
          Open for printing
        </Button>
      </header>
      {run.parity && (
        <Suspense fallback={<p className="quiet">Drawing …</p>}>
          <ParityChart parity={run.parity} />
        </Suspense>
      )}
      <iframe title="Report of the delivery" src={url} className={styles.paper} />
    </main>
  );
}
