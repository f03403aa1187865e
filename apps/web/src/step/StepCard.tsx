import { Switch } from '@mantine/core';
import { stepById } from '@dimetra/core';
import type { ReactNode } from 'react';
import { useDesk } from '../stage/context.ts';
import { stepSwitched } from '../store/recipe-slice.ts';
import { useAppDispatch, useAppSelector } from '../store/store.ts';

/** A step that shares its station with another: what it does, what it did, its settings. */
export function StepCard({ step, children, says }: { step: string; says: string; children?: ReactNode }) {
  const { run } = useDesk();
  const dispatch = useAppDispatch();
  const recipe = useAppSelector((state) => state.recipe.recipe);
  const enabled = recipe?.steps.find((entry) => entry.id === step)?.enabled !== false,
    done = run?.steps.find((entry) => entry.id === step),
    title = stepById(step)?.title ?? step;
  return (
    <section className="card" aria-label={title}>
      <div className="top">
        <span>{title}</span>
        <Switch
          size="xs"
          aria-label={`${title} in the recipe`}
          checked={enabled}
          onChange={(event) => dispatch(stepSwitched({ step, enabled: event.currentTarget.checked }))}
        />
      </div>
      <p>{says}</p>
      {done && (
        <p className="num" style={{ color: 'var(--ink)' }}>
          {done.measures
            .filter((measure) => measure.source !== 0 || measure.result !== 0)
            .map(
              (measure) =>
                `${measure.name} ${measure.source ? `${number(measure.source)} → ` : ''}${number(measure.result)}${measure.unit ? ` ${measure.unit}` : ''}`,
            )
            .join(' · ') || 'nothing to do in the last run'}
        </p>
      )}
      {children && (
        <div style={{ display: 'flex', gap: 14, flexWrap: 'wrap', alignItems: 'flex-end', marginTop: 8 }}>
          {children}
        </div>
      )}
    </section>
  );
}
const number = (value: number): string => value.toLocaleString('en-GB', { maximumFractionDigits: 2 });
