import { Button } from '@mantine/core';
import { type Finding, type Station, STEPS } from '@dimetra/core';
import { useDesk } from '../stage/context.ts';
import { FindingCard } from './FindingCard.tsx';

const RANK = { error: 0, warning: 1, info: 2 } as const;
/** From this many on, findings that say the same of different things stand as one. */
const MANY = 3;

/** What needs a decision first; what says the same as one card, what is only worth knowing folded away with its count. */
export function FindingList({ findings }: { findings: readonly Finding[] }) {
  const sorted = [...findings].sort((a, b) => RANK[a.severity] - RANK[b.severity]),
    open = sorted.filter((finding) => finding.severity !== 'info'),
    known = sorted.filter((finding) => finding.severity === 'info');
  return (
    <>
      {grouped(open)}
      {known.length > 0 && (
        <details className="folded" open={open.length === 0}>
          <summary>
            <span className="num">{known.length}</span> more to know
          </summary>
          {grouped(known)}
        </details>
      )}
    </>
  );
}

function grouped(findings: readonly Finding[]) {
  const codes = [...new Set(findings.map((finding) => finding.code))];
  return codes.map((code) => {
    const same = findings.filter((finding) => finding.code === code);
    if (same.length < MANY)
      return same.map((finding) => (
        <FindingCard key={code + finding.where + finding.message} finding={finding}>
          <Repair finding={finding} />
        </FindingCard>
      ));
    const [first] = same;
    return (
      <FindingCard key={code} finding={{ ...first, where: `${same.length} of a kind`, message: first.message }}>
        <details className="grows">
          <summary className="quiet">
            and {same.length - 1} more:{' '}
            {same
              .slice(1, 4)
              .map((finding) => finding.where)
              .filter(Boolean)
              .join(', ')}
            {same.length > 4 ? ' …' : ''}
          </summary>
          {same.slice(1).map((finding) => (
            <p key={finding.where + finding.message} className="more">
              {finding.message}
            </p>
          ))}
        </details>
        <Repair finding={first} />
      </FindingCard>
    );
  });
}

/** Where a step is decided at another station than its own: what materials are is seen on their wall. */
const DECIDED_AT: Partial<Record<string, Station>> = { 'materials.kinds': 'materials' };

/** The way to the station whose step mends it. */
function Repair({ finding }: { finding: Finding }) {
  const { open, onOpen } = useDesk();
  const step = STEPS.find((entry) => entry.id === finding.repair),
    station = step && (DECIDED_AT[step.id] ?? step.station);
  return step && station && station !== open ? (
    <Button size="compact-xs" variant="default" onClick={() => onOpen(station)}>
      {step.title}
    </Button>
  ) : null;
}
