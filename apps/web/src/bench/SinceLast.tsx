import { NativeSelect } from '@mantine/core';
import { useState } from 'react';
import { diffReports, diffSentences, type ReportSide } from '@dimetra/core';
import type { RunDetail } from '@dimetra/contract';
import { sentenceOf, useRunQuery, useRunsOfQuery } from '../api/api.ts';
import { ago } from '../shared/format.ts';

const sideOf = ({ result, checks }: RunDetail): ReportSide | null =>
  result && checks ? { result: result as ReportSide['result'], checks } : null;

/** What this delivery says otherwise than one before it, of the same character for the same target. */
export function SinceLast({ now }: { now: RunDetail }) {
  const { data: runs = [] } = useRunsOfQuery(now.conversionId),
    earlier = runs.filter(
      (run) => run.state === 'done' && run.deliveryId && run.id !== now.id && run.createdAt < now.createdAt,
    ),
    [chosen, setChosen] = useState<string | null>(null),
    id = earlier.some((run) => run.id === chosen) ? chosen : earlier[0]?.id,
    { data: before, error } = useRunQuery(id ?? '', { skip: !id });
  if (!id) return null;
  const sides = before && before.id === id ? [sideOf(before), sideOf(now)] : [null, null],
    lines = sides[0] && sides[1] && diffSentences(diffReports(sides[0], sides[1]));
  return (
    <section aria-label="Since an earlier delivery">
      <h3>
        Otherwise than
        <NativeSelect
          size="xs"
          aria-label="Earlier delivery"
          value={id}
          onChange={(event) => setChosen(event.target.value)}
          data={earlier.map((run) => ({ value: run.id, label: ago(run.finishedAt ?? run.createdAt) }))}
        />
      </h3>
      {error !== undefined && <p className="quiet">{sentenceOf(error)}</p>}
      {lines?.length === 0 && <p className="quiet">Both say the same: every rule, size and name.</p>}
      {lines && lines.length > 0 && (
        <ul className="says">
          {lines.map((line) => (
            <li key={line}>{line}</li>
          ))}
        </ul>
      )}
    </section>
  );
}
