import { useEffect, useMemo, useState } from 'react';
import { useDesk } from '../stage/context.ts';
import { megabytes } from '../shared/format.ts';
import { StepCard } from '../step/StepCard.tsx';
import { StepHead } from '../step/StepHead.tsx';
import { useAppDispatch, useAppSelector } from '../store/store.ts';
import { useSettings } from '../store/use-settings.ts';
import { lookChosen, morphsDialled, posed } from '../store/view-slice.ts';
import { MixCard, useMixNames } from '../mix/MixCard.tsx';
import { useMixed } from '../mix/use-mix.ts';
import { MorphActions } from '../morphs/MorphActions.tsx';
import { EVERY_MORPH, MorphFilter, passes } from '../morphs/MorphFilter.tsx';
import { MorphMixes } from '../morphs/MorphMixes.tsx';
import { MorphFindings, MorphSteps } from '../morphs/MorphSteps.tsx';
import { MorphTable } from '../morphs/MorphTable.tsx';
import { useMorphs, useMorphSettings } from '../morphs/use-morphs.ts';

const NONE: ReadonlySet<string> = new Set(),
  AT_REST: Readonly<Record<string, number>> = {};

/** Dials that show what each morph does, and what shall become of it: folded, dropped, mirrored, split. */
export function MorphsBench() {
  const { target } = useDesk(),
    morphs = useMorphs(),
    { decided } = useMorphSettings(),
    [filter, setFilter] = useState(EVERY_MORPH),
    // Only asked for where it decides what is listed: otherwise a dial would draw the whole bench again.
    weights = useAppSelector((state) => (filter.dialled ? state.view.morphs : AT_REST)),
    [chosen, setChosen] = useState(NONE),
    off = useDistances();
  const rows = useMemo(() => (morphs ?? []).filter((row) => passes(row, filter, weights)), [morphs, filter, weights]),
    names = useMemo(() => (morphs ?? []).map((row) => row.name), [morphs]);
  return (
    <>
      <StepHead title="Morphs">
        {names.length} morph targets, {megabytes((morphs ?? []).reduce((sum, row) => sum + row.bytes, 0))} MB if stored
        densely; the target takes {target.morphs.max}. What isn't folded or dropped is kept, and measured after every
        run.
      </StepHead>
      {morphs === null && <p className="quiet">Loading the figure …</p>}
      {morphs?.length === 0 && <p className="quiet">This character has no morphs.</p>}
      {names.length > 0 && (
        <>
          <MorphMixes names={names} />
          <MorphSteps />
          <MixPeople />
          <MorphFindings />
          <MorphFilter rows={morphs ?? []} shown={rows} value={filter} onChange={setFilter} />
          {chosen.size > 0 && <MorphActions chosen={[...chosen]} all={names} onDone={() => setChosen(NONE)} />}
          {rows.length > 0 ? (
            <MorphTable
              rows={rows}
              off={off}
              decided={decided}
              chosen={chosen}
              onChoose={(listed, on) =>
                setChosen(
                  (now) => new Set(on ? [...now, ...listed] : [...now].filter((name) => !listed.includes(name))),
                )
              }
            />
          ) : (
            <p className="quiet">{filter.dialled ? 'No morph of these is dialled.' : 'No morph is like that.'}</p>
          )}
        </>
      )}
    </>
  );
}

/** People mixed into this one, its height and its build; folded away until somebody wants it. */
function MixPeople() {
  const { people } = useMixed(),
    names = useMixNames().slice(1),
    { target, mix } = useDesk(),
    [{ heightCm = target.body?.heightCm, build = target.body?.build }] = useSettings('morphs.body'),
    asked = heightCm !== undefined || Boolean(build),
    [open, setOpen] = useState(people.length > 0),
    said = [
      names.length ? `with ${names.join(' and ')}` : '',
      heightCm === undefined ? '' : `${heightCm} cm`,
      build ? `build ${build}` : '',
    ].filter(Boolean);
  // Open once somebody is mixed in, and as the user leaves it when nobody is any more.
  useEffect(() => {
    if (people.length) setOpen(true);
  }, [people.length]);
  return (
    <details className="folded" open={open} onToggle={({ currentTarget }) => setOpen(currentTarget.open)}>
      <summary>Mix people, height and build: {said.join(', ') || 'as it is'}</summary>
      <MixCard />
      <StepCard step="morphs.body" />
      {asked && !people.length && (
        <p className="quiet" role="status">
          {mix.error ??
            (mix.busy ? 'Bringing the body there …' : mix.mixed ? 'The stage shows the body as asked.' : '')}
        </p>
      )}
    </details>
  );
}

/** How near the stage looks at a place, metres. */
const NEAR = 0.4;

/** How far the result was off in each morph, with a way to look at the place where it is worst. */
function useDistances() {
  const { finished, stage } = useDesk(),
    dispatch = useAppDispatch();
  return useMemo(
    () =>
      new Map(
        finished?.parity?.shape.morphs.map(({ name, rmsMm, point }) => [
          name,
          {
            rmsMm,
            show: () => {
              dispatch(posed(null));
              dispatch(morphsDialled({ [name]: 1 }));
              dispatch(lookChosen('material'));
              if (point) stage.current?.putCamera({ at: [point[0], point[1], point[2] + NEAR], to: point });
            },
          },
        ]) ?? [],
      ),
    [finished?.parity, stage, dispatch],
  );
}
