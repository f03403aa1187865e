import { STATIONS, type Station } from '@dimetra/core';
import { useEffect, useMemo, useRef } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import {
  sentenceOf,
  useCharacterQuery,
  useCharactersQuery,
  useConversionQuery,
  useFiguresQuery,
  useRunQuery,
  useRunsOfQuery,
  useTargetsQuery,
} from '../api/api.ts';
import { isActive } from '@dimetra/contract';
import { Bench } from '../bench/Bench.tsx';
import { useSlotChoices } from '../bench/MaterialRegions.tsx';
import { useRegions } from '../figure/regions.ts';
import { useFit } from '../fit/use-fit.ts';
import { usePins } from '../fit/use-pins.ts';
import { useSeats } from '../fit/use-seats.ts';
import { useWrapWatch } from '../fit/use-wrap-watch.ts';
import { MixOnStage } from '../mix/MixOnStage.tsx';
import { useMix } from '../mix/use-mix.ts';
import { Ledger } from '../ledger/Ledger.tsx';
import { Line } from '../line/Line.tsx';
import { stationViews } from '../line/stations.ts';
import { Area } from '../shared/Area.tsx';
import { Stage } from '../stage/Stage.tsx';
import { recipeLoaded, settingsOf } from '../store/recipe-slice.ts';
import { useAppDispatch, useAppSelector } from '../store/store.ts';
import { figureLeft } from '../store/view-slice.ts';
import { DeskContext } from '../stage/context.ts';
import { useShortcuts } from './shortcuts.ts';
import { useFigures } from '../stage/figures.ts';
import type { StageRenderer } from '../stage/renderer.ts';

/** The workplace: line, stage, bench and ledger for one character and one target. */
export function Desk() {
  const { characterId = '', targetId, station } = useParams();
  const navigate = useNavigate();
  const dispatch = useAppDispatch();
  const { data: rows } = useCharactersQuery();
  const { data: targets } = useTargetsQuery();
  const { data: character, error } = useCharacterQuery(characterId);
  const { data: figures } = useFiguresQuery();
  const named = targets?.find((row) => row.id === targetId);
  // What plans and previews are made for has its figure in it, as a run has.
  const target = useMemo(() => {
    if (!named || !figures || typeof named.joints.figure !== 'string') return named;
    const figure = figures.find((row) => row.id === named.joints.figure);
    return figure ? { ...named, joints: { ...named.joints, figure } } : named;
  }, [named, figures]);
  const {
    data: conversion,
    currentData: ownConversion,
    error: conversionError,
  } = useConversionQuery({ characterId, targetId: targetId ?? '' }, { skip: !target || !character });
  const { data: runs } = useRunsOfQuery(conversion?.id ?? '', { skip: !conversion });
  const recipeOf = useAppSelector((state) => state.recipe.conversionId),
    stale = useAppSelector((state) => state.recipe.stale);
  const { refetch } = useConversionQuery({ characterId, targetId: targetId ?? '' }, { skip: !target || !character });
  const current = runs?.find(isActive) ?? runs?.[0];
  const finished = runs?.find((run) => run.state === 'done');
  const { data: latest } = useRunQuery(current?.id ?? '', { skip: !current });
  const { data: last } = useRunQuery(finished?.id ?? '', { skip: !finished });
  const open: Station = (STATIONS as readonly string[]).includes(station ?? '') ? (station as Station) : 'intake';
  const stage = useRef<StageRenderer | null>(null);
  // A new result stands on the stage once its steps are done, while it is being measured.
  const active = latest && isActive(latest),
    fresh = active && latest.result ? latest : null;
  const shownFigures = useFigures(character?.revision.id, (fresh ?? last)?.id);

  const choices = useSlotChoices(),
    { slots, reference = null } = useAppSelector((state) => settingsOf(state.recipe.recipe, 'intake.assemble')),
    search = slots !== false;
  const looksForRegions = useAppSelector((state) => state.view.look === 'slots'),
    face = useAppSelector((state) => state.view.face);
  const mix = useMix(shownFigures.sourceUrl, target, open === 'morphs');
  const fit = useFit(shownFigures.source?.document, target, open === 'fit');
  const pins = usePins(open === 'fit' && Boolean(shownFigures.result), {
    source: shownFigures.source?.document,
    result: shownFigures.result?.document,
  });
  const seats = useSeats(open === 'fit', shownFigures.result?.document, fresh ?? last);
  const watch = useWrapWatch(shownFigures.sourceUrl, target, open === 'fit');
  const regions = useRegions(shownFigures.sourceUrl, looksForRegions, choices, search, reference, face);

  useEffect(() => {
    if (conversion) dispatch(recipeLoaded(conversion));
  }, [conversion, dispatch]);
  useEffect(() => {
    if (stale) void refetch();
  }, [stale, refetch]);
  useEffect(() => {
    void characterId;
    dispatch(figureLeft());
  }, [characterId, dispatch]);
  useEffect(() => {
    // An address without a target means the one that was worked on last.
    if (!targetId && targets?.length && rows)
      navigate(
        `/c/${characterId}/${rows.find((row) => row.id === characterId)?.conversions[0]?.targetId ?? targets[0].id}`,
        { replace: true },
      );
  }, [targetId, targets, rows, characterId, navigate]);
  const onOpen = (next: Station) => navigate(`/c/${characterId}/${targetId}/${next}`);
  useShortcuts(onOpen);

  if (error)
    return (
      <div className="page">
        <h1>This character can't be opened</h1>
        <p className="quiet">{sentenceOf(error)}</p>
        <p>
          <Link to="/">To the cast</Link>
        </p>
      </div>
    );
  if (targets && targetId && !target)
    return (
      <div className="page">
        <h1>This target is not here</h1>
        <p className="quiet">
          The address names the delivery target “{targetId}”, which is not among yours: it was deleted, or the address
          has a slip in it.
        </p>
        <p>
          {targets.map((row) => (
            <span key={row.id}>
              <Link to={`/c/${characterId}/${row.id}`}>{row.title}</Link> ·{' '}
            </span>
          ))}
          <Link to="/">To the cast</Link>
        </p>
      </div>
    );
  if (!character || !target)
    return (
      <div className="page quiet" role="status">
        Opening the character …
      </div>
    );
  // While a run's steps are under way their numbers grow in; what stands finished stays for the rest.
  const shown =
    active && !fresh && last
      ? {
          ...latest,
          result: last.result,
          checks: null,
          parity: last.parity,
          deliveryBytes: last.deliveryBytes,
          deliveryId: last.deliveryId,
        }
      : latest;
  return (
    <DeskContext.Provider
      value={{
        character,
        target,
        run: shown,
        finished: last,
        staged: fresh ?? last,
        figures: shownFigures,
        regions,
        mix,
        fit,
        pins,
        seats,
        watch,
        open,
        onOpen,
        stage,
      }}
    >
      <div
        className="desk"
        style={{ '--bench-width': open === 'skeleton' ? 'min(720px, 58vw)' : '404px' } as React.CSSProperties}
      >
        <Area name="The line">
          <Line stations={stationViews(character, shown)} open={open} onOpen={onOpen} />
        </Area>
        <div className="bench-and-stage">
          <Area name="The stage" of={`${characterId} ${targetId}`}>
            <Stage over={open === 'morphs' && <MixOnStage />} />
          </Area>
          <Area name="The bench" of={`${characterId} ${targetId} ${open}`}>
            <Bench
              ready={ownConversion !== undefined && recipeOf === ownConversion.id}
              problem={conversionError && sentenceOf(conversionError)}
            />
          </Area>
        </div>
        <Area name="The ledger" of={`${characterId} ${targetId}`}>
          <Ledger character={character} target={target} run={shown} onOpen={onOpen} />
        </Area>
      </div>
    </DeskContext.Provider>
  );
}
