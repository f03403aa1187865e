import { Button } from '@mantine/core';
import { stageThings } from '@dimetra/core';
import { useMemo } from 'react';
import { useDesk } from '../stage/context.ts';
import { settingChanged, settingsOf } from '../store/recipe-slice.ts';
import { useAppDispatch, useAppSelector } from '../store/store.ts';
import { partPicked } from '../store/view-slice.ts';
import { StepCard } from '../step/StepCard.tsx';

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
        <table className="list" data-left-out>
          <tbody>
            {rows.map(({ id, why, out, turn }) => (
              <tr key={id} className="pick" aria-selected={picked === id} onClick={() => dispatch(partPicked(id))}>
                <td className="clip">
                  <span style={out ? { textDecoration: 'line-through' } : undefined}>{id}</span>
                  <br />
                  <span className="quiet" style={{ fontSize: 12 }}>
                    {why}
                  </span>
                </td>
                <td className="n">
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
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {open && (
        <Button size="compact-xs" variant="default" onClick={() => set('drop', [...drop, open])}>
          Leave out “{open}”
        </Button>
      )}
    </StepCard>
  );
}
