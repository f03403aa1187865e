import { Switch } from '@mantine/core';
import { stepById, type StepId } from '@dimetra/core';
import type { ReactNode } from 'react';
import { useDesk } from '../stage/context.ts';
import { stepSwitched } from '../store/recipe-slice.ts';
import { useAppDispatch, useAppSelector } from '../store/store.ts';
import { fieldsOf, Setting } from './Setting.tsx';
import styles from './StepCard.module.css';

/**
 * A step that shares its station with another: what it does, what it did, its settings. What it does and which settings
 * it has is taken from the step itself where nothing else is given.
 */
export function StepCard({ step, children, says }: { step: StepId; says?: string; children?: ReactNode }) {
  const { run } = useDesk();
  const dispatch = useAppDispatch();
  const recipe = useAppSelector((state) => state.recipe.recipe);
  const enabled = recipe?.steps.find((entry) => entry.id === step)?.enabled !== false,
    done = run?.steps.find((entry) => entry.id === step),
    definition = stepById(step),
    title = definition?.title ?? step,
    fields = children ? [] : fieldsOf(step);
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
      <p>{says ?? definition?.says}</p>
      {done && (
        <p className={`num ${styles.did}`}>
          {done.measures
            .filter((measure) => measure.source !== 0 || measure.result !== 0)
            .map(
              (measure) =>
                `${measure.name} ${measure.source ? `${number(measure.source)} → ` : ''}${number(measure.result)}${measure.unit ? ` ${measure.unit}` : ''}`,
            )
            .join(' · ') || 'nothing to do in the last run'}
        </p>
      )}
      {(children || fields.length > 0) && (
        <div className={styles.settings}>
          {children ?? fields.map(({ name }) => <Setting key={name} step={step} name={name} />)}
        </div>
      )}
    </section>
  );
}
const number = (value: number): string => value.toLocaleString('en-GB', { maximumFractionDigits: 2 });
