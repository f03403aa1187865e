import { Button } from '@mantine/core';
import { Link } from 'react-router';
import { verdictOf, verdictSentence } from '@dimetra/core';
import { useDesk } from '../stage/context.ts';
import { STATION_NAMES } from '../line/stations.ts';
import { ago, megabytes } from '../shared/format.ts';
import { FindingList } from '../step/FindingList.tsx';
import { SinceLast } from './SinceLast.tsx';

export function DeliverBench() {
  const { finished, target, onOpen } = useDesk();
  if (!finished?.deliveryId)
    return (
      <>
        <header>
          <h2>Deliver</h2>
        </header>
        <p className="quiet">
          There is no package yet. Run the recipe; the package for {target.title} then waits here, and stays in the
          database.
        </p>
      </>
    );
  const checks = finished.checks ?? [],
    verdict = verdictOf(checks),
    blocking = checks.filter((check) => !check.ok && check.blocking),
    noted = checks.filter((check) => !check.ok && !check.blocking);
  const files = finished.deliveryFiles ?? [];
  return (
    <>
      <header>
        <h2>Deliver</h2>
        <span className="quiet">{finished.finishedAt && ago(finished.finishedAt)}</span>
      </header>
      <p className="quiet" data-verdict={verdict.state}>
        {verdictSentence(verdict)}
      </p>
      {verdict.state === 'blocks' ? (
        <div className="card blocks" role="alert">
          <div className="top">
            <span>Delivery is blocked</span>
            <span>
              {blocking.length} {blocking.length === 1 ? 'rule' : 'rules'}
            </span>
          </div>
          {blocking.map((check) => (
            <p key={check.rule}>
              {check.message}{' '}
              <button
                type="button"
                className="crumb"
                style={{ display: 'inline', padding: '0 4px', textDecoration: 'underline' }}
                onClick={() => onOpen(check.station)}
              >
                Go to {STATION_NAMES[check.station]}
              </button>
            </p>
          ))}
        </div>
      ) : (
        <div className="card info">
          <p className="says">
            {verdict.state === 'holds'
              ? `Nothing stands against a delivery for ${target.title}.`
              : `Nothing blocks a delivery for ${target.title}; what it notes stands below and in the report.`}{' '}
            One archive with the model, the manifest and the report.
          </p>
          <Button component="a" href={`/api/v1/deliveries/${finished.deliveryId}/package`} download data-download>
            Download {megabytes(finished.deliveryBytes ?? 0)} MB
          </Button>
        </div>
      )}
      {noted.map((check) => (
        <article key={check.rule} className="card attention">
          <div className="top">
            <span>{check.title}</span>
            <span>noted</span>
          </div>
          <p>{check.message}</p>
        </article>
      ))}
      <FindingList findings={finished.steps.find(({ id }) => id === 'deliver.finish')?.findings ?? []} />
      <SinceLast now={finished} />
      <div className="row apart">
        <Button size="compact-sm" variant="default" component={Link} to={`/proving/${finished.id}`}>
          Try it in the proving ground
        </Button>
        <Button size="compact-sm" variant="default" component={Link} to={`/report/${finished.id}`}>
          Open report
        </Button>
      </div>
      <h3>In the package</h3>
      <table className="list">
        <tbody>
          {files.map((file) => (
            <tr key={file.path}>
              <td className="clip whole" title={file.path}>
                {file.path}
              </td>
              <td className="n num">
                {file.bytes > 1e5 ? `${megabytes(file.bytes)} MB` : `${Math.ceil(file.bytes / 1024)} kB`}
              </td>
            </tr>
          ))}
          <tr>
            <td>manifest.json</td>
            <td className="n quiet">hashes of all files</td>
          </tr>
        </tbody>
      </table>
    </>
  );
}
