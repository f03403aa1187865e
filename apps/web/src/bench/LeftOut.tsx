import { Button } from '@mantine/core';
import { stageThings } from '@dimetra/core';
import { useMemo } from 'react';
import { useDesk } from '../stage/context.ts';
import { settingChanged, settingsOf } from '../store/recipe-slice.ts';
import { useAppDispatch, useAppSelector } from '../store/store.ts';
import { partPicked } from '../store/view-slice.ts';
import { DataTable } from '../shared/DataTable.tsx';
import { StepCard } from '../step/StepCard.tsx';
import styles from './LeftOut.module.css';

const STEP = 'intake.leave-out';

/** What came along and is no part of the figure: left out unless it is kept, and whatever else shall go. */
export function LeftOut() {
  const { figures } = useDesk();
  const dispatch = useAppDispatch();
  const { keep = [], drop = [] } = useAppSelector((state) => settingsOf(state.recipe.recipe, STEP));
  const picked = useAppSelector((state) => state.view.part);
  const document = figures.source?.document;
  const found = useMemo(
    () => (document ? stageThings(document).map(({ part, why }) => ({ id: part.id, why })) : []),
    [document],
  );
  const set = (setting: string, list: string[]) =>
    dispatch(settingChanged({ step: STEP, setting, value: list.length ? list : undefined }));
  const open = picked !== null && !found.some((thing) => thing.id === picked) && !drop.includes(picked) ? picked : null;
  const rows = [
    ...found.map(({ id, why }) => ({
      id,
      why,
      out: !keep.includes(id),
      turn: () => set('keep', keep.includes(id) ? keep.filter((name) => name !== id) : [...keep, id]),
    })),
    ...drop.map((id) => ({
      id,
      why: 'as you said',
      out: true,
      turn: () =>
        set(
          'drop',
          drop.filter((name) => name !== id),
        ),
    })),
  ];
  if (!rows.length && !open) return null;
  return (
    <StepCard
      step={STEP}
      says={
        rows.length
          ? 'What is no part of the figure is left out of what is delivered.'
          : `“${open}” is chosen on the stage.`
      }
    >
      {rows.length > 0 && (
        <div data-left-out>
          <DataTable
            label="What is left out"
            rows={rows}
            keyOf={(row) => row.id}
            picked={picked}
            onPick={(row) => dispatch(partPicked(row.id))}
            columns={[
              {
                id: 'part',
                head: 'Part',
                by: (row) => row.id,
                cellClass: 'clip',
                cell: ({ id, why, out }) => (
                  <>
                    <span className={out ? styles.out : undefined}>{id}</span>
                    <br />
                    <span className={`quiet ${styles.why}`}>{why}</span>
                  </>
                ),
              },
              {
                id: 'turn',
                head: '',
                className: 'n',
                cell: ({ out, turn }) => (
                  <Button
                    size="compact-xs"
                    variant="default"
                    onClick={(event) => {
                      event.stopPropagation();
                      turn();
                    }}
                  >
                    {out ? 'Keep' : 'Leave out'}
                  </Button>
                ),
              },
            ]}
          />
        </div>
      )}
      {open && (
        <Button size="compact-xs" variant="default" onClick={() => set('drop', [...drop, open])}>
          Leave out “{open}”
        </Button>
      )}
    </StepCard>
  );
}
