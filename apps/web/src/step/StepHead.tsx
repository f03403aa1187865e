import { Switch } from '@mantine/core';
import type { ReactNode } from 'react';
import { useDesk } from '../stage/context.ts';
import { stepSwitched } from '../store/recipe-slice.ts';
import { useAppDispatch, useAppSelector } from '../store/store.ts';

/** Title of a station, whether its step runs, and what the last run measured. */
export function StepHead({
  step,
  title,
  children,
  measures = true,
}: {
  step?: string;
  title: string;
  children?: ReactNode;
  measures?: boolean;
}) {
  const { run } = useDesk();
  const dispatch = useAppDispatch();
  const recipe = useAppSelector((state) => state.recipe.recipe);
  const enabled = recipe?.steps.find((entry) => entry.id === step)?.enabled !== false;
  const done = run?.steps.find((entry) => entry.id === step);
  return (
    <>
      <header>
        <h2>{title}</h2>
        {step && (
          <Switch
            size="xs"
            label={enabled ? 'in the recipe' : 'left out'}
            labelPosition="left"
            checked={enabled}
            onChange={(event) => dispatch(stepSwitched({ step, enabled: event.currentTarget.checked }))}
          />
        )}
      </header>
      {children && <p className="quiet says">{children}</p>}
      {measures && done && done.measures.length > 0 && (
        <div className="card">
          <table className="list">
            <thead>
              <tr>
                <th>Last run{done.cached ? ', taken over' : `, ${done.seconds.toFixed(1)} s`}</th>
                <th className="n source">Source</th>
                <th className="n result">Result</th>
              </tr>
            </thead>
            <tbody>
              {done.measures
                .filter((measure) => measure.of === undefined)
                .map((measure) => (
                  <tr key={measure.name}>
                    <td>{measure.name}</td>
                    <td className="n num">{show(measure.source)}</td>
                    <td className="n num">
                      {show(measure.result)} <span className="quiet">{measure.unit}</span>
                    </td>
                  </tr>
                ))}
            </tbody>
          </table>
        </div>
      )}
    </>
  );
}
const show = (value: number): string => value.toLocaleString('en-GB', { maximumFractionDigits: 3 });
