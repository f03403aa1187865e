import type { Target } from '@dimetra/core';
import { costRows } from './costs.ts';
import type { Cost } from './faults.ts';
import styles from './proving.module.css';
import type { Moment } from './world.ts';

interface CostListProps {
  cost: Cost;
  moment: Moment | null;
  target: Target | null;
}

/** What it asks of the machine, against what the target allows. */
export function CostList({ cost, moment, target }: CostListProps) {
  return (
    <>
      <h3>Costs</h3>
      <div className={styles.costs}>
        {costRows(cost, moment, target).map(({ name, measured, limit, unit, digits }) => {
          const text = (value: number) =>
            value.toLocaleString('en-GB', { minimumFractionDigits: digits, maximumFractionDigits: digits });
          return (
            <div
              key={name}
              className={styles.cost}
              data-cost={name}
              data-over={limit !== undefined && measured > limit}
            >
              <span className="quiet">{name}</span>
              <span>
                <b className="num">{text(measured)}</b>
                {limit !== undefined && <span className="num quiet"> of {text(limit)}</span>} {unit}
              </span>
              {limit !== undefined && (
                <span className={styles.bar}>
                  <i style={{ width: `${Math.min(100, (measured / limit) * 100)}%` }} />
                </span>
              )}
            </div>
          );
        })}
      </div>
    </>
  );
}
