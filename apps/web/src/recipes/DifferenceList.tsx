import { type Difference, differenceWords } from '@dimetra/core';
import styles from './recipes.module.css';

interface DifferenceListProps {
  label: string;
  /** A sentence before them. */
  lead?: string;
  differences: readonly Difference[];
  /** Said where there are none. */
  none?: string;
}

/** Settings that differ, step by step. */
export function DifferenceList({ label, lead, differences, none }: DifferenceListProps) {
  if (!differences.length) return none ? <p className="quiet">{none}</p> : null;
  const bySteps = new Map<string, string[]>();
  for (const difference of differences) {
    const { where, what } = differenceWords(difference);
    bySteps.set(where, [...(bySteps.get(where) ?? []), what]);
  }
  return (
    <>
      {lead && <p className="quiet">{lead}</p>}
      <dl className={styles.differences} aria-label={label}>
        {[...bySteps].map(([where, lines]) => (
          <div key={where}>
            <dt>{where}</dt>
            <dd>
              {lines.map((line) => (
                <span key={line}>{line}</span>
              ))}
            </dd>
          </div>
        ))}
      </dl>
    </>
  );
}
