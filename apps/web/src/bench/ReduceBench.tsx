import { Button, NumberInput } from '@mantine/core';
import { importanceOf, measureOf, shareWithin } from '@dimetra/core';
import { BudgetMap } from '../budget/BudgetMap.tsx';
import { useDesk } from '../stage/context.ts';
import { count, millimetres } from '../shared/format.ts';
import { useSettings } from '../store/use-settings.ts';
import { useAppDispatch, useAppSelector } from '../store/store.ts';
import { partPicked } from '../store/view-slice.ts';
import { numbers, words } from '../shared/columns.ts';
import { DataTable } from '../shared/DataTable.tsx';
import { FindingCard } from '../step/FindingCard.tsx';
import { StepHead } from '../step/StepHead.tsx';
import styles from './ReduceBench.module.css';

type Row = ReturnType<typeof shareWithin>[number];

/** The triangle budget: one number for the whole, shared by a visible rule, changed part by part. */
export function ReduceBench() {
  const { character, target, run, finished } = useDesk();
  const dispatch = useAppDispatch();
  const [settings, set] = useSettings('reduce.simplify');
  const picked = useAppSelector((state) => state.view.part);
  const { parts, triangles } = character.revision.summary;
  const fixed = settings.parts ?? {};
  const budget = Math.min(Number(settings.triangles ?? target.triangles.max), triangles);
  const { nearestM } = target.appearance,
    counts = (role: string) => importanceOf(role, nearestM);
  const rows = shareWithin(parts, budget, target.triangles.parts ?? {}, fixed, settings.importance, nearestM);
  const step = run?.steps.find((entry) => entry.id === 'reduce.simplify');
  const reached = (id: string) => measureOf(step?.measures, 'triangles', id)?.result;
  const give = (id: string, to: number) => set('parts', { ...fixed, [id]: to });
  const sum = rows.reduce((total, row) => total + row.to, 0);
  return (
    <>
      <StepHead step="reduce.simplify" title="Reduce" measures={false}>
        Shared in proportion to importance × triangles to the power 0.6, so what was built most finely gives up most.
        Clothes count {counts('garment')}, hair {counts('hair')}, the head {counts('head')}, hands {counts('hands')},
        lashes {counts('lashes')}. Vertices stay where they are, UVs, weights and morphs exact, but for skin that would
        come through clothes or scalp, and hair that would cut into the head.
      </StepHead>
      <h3>
        Triangles for the whole{' '}
        {settings.triangles !== undefined && (
          <Button size="compact-xs" variant="default" onClick={() => set('triangles', undefined)}>
            Back to the target's {count(target.triangles.max)}
          </Button>
        )}
      </h3>
      <NumberInput
        aria-label="Triangles for the whole"
        value={budget}
        min={1}
        max={triangles}
        step={500}
        thousandSeparator=","
        onBlur={(event) => {
          const value = Number(event.target.value.replace(/,/g, ''));
          if (value > 0 && value !== budget) set('triangles', Math.round(value));
        }}
        onKeyDown={(event) => {
          if (event.key === 'Enter') event.currentTarget.blur();
        }}
      />
      <h3>
        Budget map{' '}
        <span className="num quiet">
          {count(triangles)} → {count(sum)}
        </span>
      </h3>
      <BudgetMap rows={rows} picked={picked} onPick={(id) => dispatch(partPicked(id))} onChange={give} />
      {Object.keys(fixed).length > 0 && (
        <Button mt={8} size="compact-xs" variant="default" onClick={() => set('parts', undefined)}>
          Share out anew, {Object.keys(fixed).length} set by hand
        </Button>
      )}
      <h3>Parts</h3>
      <DataTable
        label="Parts and their budgets"
        rows={rows}
        keyOf={(row) => row.id}
        picked={picked}
        onPick={(row) => dispatch(partPicked(row.id))}
        columns={[
          words('part', 'Part', (row: Row) => row.id),
          numbers('source', 'Source', (row: Row) => row.from, { headClass: 'source' }),
          {
            id: 'budget',
            head: 'Budget',
            className: `n ${styles.budget}`,
            by: (row) => row.to,
            cell: (row) => (
              <NumberInput
                size="xs"
                aria-label={`Budget of ${row.id}`}
                value={row.to}
                min={0}
                max={row.from}
                hideControls
                onBlur={(event) => {
                  const value = Number(event.target.value);
                  if (value !== row.to && value >= 0) give(row.id, value);
                }}
                classNames={{ input: `${styles.field} ${row.fixed ? styles.fixed : ''}` }}
              />
            ),
          },
          numbers('reached', 'Reached', (row: Row) => reached(row.id), { headClass: 'result' }),
        ]}
      />
      {step?.findings.map((finding) => (
        <FindingCard key={finding.where} finding={finding} />
      ))}
      {finished?.parity && (
        <p className="quiet">
          Last run: {millimetres(finished.parity.shape.rest.rmsMm)} mm RMS at rest,{' '}
          {millimetres(Math.max(0, ...finished.parity.shape.poses.map((row) => row.rmsMm)))} mm in the worst pose.
        </p>
      )}
    </>
  );
}
