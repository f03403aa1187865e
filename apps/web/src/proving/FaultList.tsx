import { Button } from '@mantine/core';
import { Link } from 'react-router';
import type { Target } from '@dimetra/core';
import { STATION_NAMES } from '../line/stations.ts';
import { type Facts, faultsOf } from './faults.ts';
import type { StatedReport } from './open-package.ts';

interface FaultListProps {
  facts: Facts;
  report: StatedReport | null;
  target: Target | null;
  /** Where the character is worked on; null for what was dropped. */
  desk: string | null;
}

/** What goes wrong here, each with the station that mends it. */
export function FaultList({ facts, report, target, desk }: FaultListProps) {
  const faults = faultsOf(facts, report, target);
  if (!faults.length)
    return (
      <p className="says" data-faults="0">
        ● Nothing goes wrong here: it stands on the ground, moves, and shows what{' '}
        {report ? 'its report says' : 'it holds'}.
      </p>
    );
  return (
    <section aria-label="What goes wrong" data-faults={faults.length}>
      {faults.map((fault) => (
        <article key={fault.code} className="card attention" data-fault={fault.code}>
          <div className="top">
            <span>{fault.title}</span>
            <span>{STATION_NAMES[fault.station]}</span>
          </div>
          <p>{fault.message}</p>
          {desk && (
            <div className="acts">
              <Button size="compact-xs" variant="default" component={Link} to={`${desk}/${fault.station}`}>
                Go to {STATION_NAMES[fault.station]}
              </Button>
            </div>
          )}
        </article>
      ))}
    </section>
  );
}
