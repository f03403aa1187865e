import { Button } from '@mantine/core';
import { type ReactNode, useEffect, useMemo, useRef, useState } from 'react';
import { RANGE_SECONDS } from '@dimetra/core';
import { buildFigure } from '../figure/build.ts';
import { measureDeviation, type Deviation } from '../figure/deviation.ts';
import { useDesk } from './context.ts';
import { useAsymmetry } from './use-asymmetry.ts';
import { useDensity } from './use-density.ts';
import { Crosses } from './Crosses.tsx';
import { AsymmetryKey, DensityKey, DeviationKey, InfluencesKey, MapsAreComing, StageTags } from './StageTags.tsx';
import { usePointer } from './use-pointer.ts';
import { regionAt } from '../figure/mix.ts';
import { facesOf } from '../figure/regions.ts';
import { settingsOf } from '../store/recipe-slice.ts';
import { store, useAppDispatch, useAppSelector } from '../store/store.ts';
import { mixRegionChosen, RANGE } from '../store/view-slice.ts';
import { StageRenderer } from './renderer.ts';
import { StageBar } from './StageBar.tsx';
import { useResultNames, useSourceNames } from './result-joint.ts';

const LOST = 'The system took the drawing away for a moment. It comes back by itself; nothing of your work is touched.';
const clipsFor = (renderer: StageRenderer) => [{ name: RANGE, seconds: RANGE_SECONDS }, ...renderer.clipsOf('source')];

/** Source and result under one camera. @param over what a station lays over them */
export function Stage({ over }: { over?: ReactNode }) {
  const { character, target, figures, staged, stage, open, regions, mix, fit, pins, seats, watch } = useDesk();
  const view = useAppSelector((state) => state.view);
  const canvas = useRef<HTMLCanvasElement>(null);
  const [renderer, setRenderer] = useState<StageRenderer | null>(null);
  const [lost, setLost] = useState(false);
  const [dressed, setDressed] = useState(false);
  const [failure, setFailure] = useState<string | null>(null);
  const [deviation, setDeviation] = useState<{ url: string; map: Deviation } | null>(null);
  const [wipe, setWipe] = useState(0.5);
  const resultName = useResultNames(),
    resultJoint = view.joint && resultName(view.joint);
  const sourceName = useSourceNames();
  const shownView = open === 'skeleton' && view.view === 'pair' && figures.result ? 'wipe' : view.view;

  useEffect(() => {
    if (!canvas.current) return;
    let made: StageRenderer;
    try {
      made = new StageRenderer(canvas.current, { lost: setLost, dressed: setDressed });
    } catch {
      setFailure("This browser can't draw in 3D (WebGL 2 is missing). Numbers and decisions work all the same.");
      return;
    }
    stage.current = made;
    setRenderer(made);
    const observer = new ResizeObserver(() => made.draw());
    observer.observe(canvas.current);
    return () => {
      observer.disconnect();
      made.dispose();
      stage.current = null;
      setRenderer(null);
    };
  }, [stage]);
  useEffect(() => {
    if (!renderer || !figures.source) return;
    renderer.setFigure(
      'source',
      buildFigure(figures.source, () => renderer.drawSoon(), 'as meant'),
    );
    // Says which figure stands: the one before stays until the next has come.
    if (canvas.current) canvas.current.dataset.stands = figures.source.url;
    renderer.jump('figure');
  }, [renderer, figures.source]);
  useEffect(() => {
    renderer?.setFigure(
      'result',
      figures.result ? buildFigure(figures.result, () => renderer.drawSoon(), 'as an engine') : null,
    );
    if (canvas.current) canvas.current.dataset.result = figures.result?.url ?? '';
    renderer?.jump('figure');
  }, [renderer, figures.result]);
  const { sourceUrl, resultUrl } = figures;
  useEffect(() => {
    if (view.look !== 'deviation' || !sourceUrl || !resultUrl || deviation?.url === resultUrl) return;
    let left = false;
    const { recipe } = store.getState().recipe;
    if (!recipe) return;
    measureDeviation(sourceUrl, resultUrl, settingsOf(recipe, 'intake.stand'), { recipe, target }).then(
      (map) => {
        if (!left) setDeviation({ url: resultUrl, map });
      },
      (error: Error) => {
        if (!left) setFailure(`The distances can't be measured: ${error.message}`);
      },
    );
    return () => {
      left = true;
    };
  }, [view.look, sourceUrl, resultUrl, deviation?.url, target]);
  const density = useDensity(figures, view.look === 'texel density');
  const asymmetry = useAsymmetry(figures, view.look === 'asymmetry', setFailure);
  const limitMm = target.parity.restRmsMm;
  const painted = useMemo(
    () => ({ misplaced: facesOf(regions.misplaced ?? []), chosen: facesOf(regions.chosen ? [regions.chosen] : []) }),
    [regions.misplaced, regions.chosen],
  );
  const marks = useMemo(
    () =>
      open === 'fit'
        ? (fit.joints?.map(({ role, at, how }) => ({
            role,
            at,
            assumed: how === 'proportion',
            chosen: role === fit.chosen,
          })) ?? null)
        : null,
    [open, fit.joints, fit.chosen],
  );
  useEffect(() => {
    const turns = Object.entries(view.turned),
      turned = { source: new Map(turns), result: new Map(turns.map(([joint, turn]) => [resultName(joint), turn])) };
    renderer?.apply({
      ...view,
      view: shownView,
      joint: { source: view.joint, result: resultJoint },
      turned,
      deviation: deviation?.map ?? null,
      density,
      asymmetry: asymmetry?.parts ?? null,
      mixed: mix.mixed?.offsets ?? null,
      marks,
      pins: pins.marks,
      wrap: watch?.surface ?? null,
      seats: seats.shown,
      limitMm,
      regions: painted,
    });
  }, [
    renderer,
    view,
    shownView,
    resultJoint,
    resultName,
    deviation,
    density,
    asymmetry,
    mix.mixed,
    marks,
    pins.marks,
    watch?.surface,
    seats.shown,
    limitMm,
    painted,
  ]);
  useEffect(() => {
    if (view.jump.count) renderer?.jump(view.jump.to);
  }, [renderer, view.jump]);
  useEffect(() => {
    if (renderer) {
      renderer.wipe = wipe;
      renderer.draw();
    }
  }, [renderer, wipe]);

  const dispatch = useAppDispatch(),
    onFace = (at: { part: string; face: number }) => {
      const region = regionAt(figures.source, mix, at);
      if (region) dispatch(mixRegionChosen(region));
    };
  const pointer = usePointer(renderer, {
    joints: view.skeleton,
    faces: view.look === 'slots',
    onFace: mix.regions && open === 'morphs' ? onFace : undefined,
    onPlace: pins.draft ? pins.take : undefined,
    sourceName,
    marks: marks ? fit : undefined,
    seats: seats.shown && !pins.draft ? seats : undefined,
  });
  const both = Boolean(figures.result);
  const place = both ? shownView : 'source';
  return (
    <section className="stage" aria-label="Stage">
      <canvas
        ref={canvas}
        tabIndex={0}
        aria-label={`${character.name}, ${place === 'pair' ? 'source and result side by side' : place}. Drag to turn, wheel to come closer, click to choose a part.`}
        {...pointer}
        onKeyDown={(event) => {
          if (event.key !== 'Enter' || !pins.draft || !renderer) return;
          const found = renderer.picking.placeAt(...renderer.picking.middleOf(pins.asked ?? pins.nextSide));
          if (found) pins.take(found.side, found.place);
        }}
      />
      <StageTags
        place={place}
        both={both}
        heights={{ source: character.revision.summary, result: staged?.result ?? null }}
        mixed={mix.mixed && { people: mix.people, heightCm: mix.mixed.heightCm }}
        target={target.title}
        wipe={wipe}
        onWipe={setWipe}
      />
      {pins.draft && <Crosses pair={place === 'pair'} />}
      {view.look === 'deviation' && both && (
        <DeviationKey
          distances={deviation && deviation.url === figures.resultUrl ? deviation.map.open.result : null}
          limitMm={limitMm}
        />
      )}
      {view.look === 'influences' && <InfluencesKey />}
      {view.look === 'asymmetry' && <AsymmetryKey found={asymmetry?.found} both={both} />}
      {view.look === 'texel density' && <DensityKey density={density} both={both} />}
      {over}
      {view.look === 'material' && figures.source && !dressed && <MapsAreComing />}
      {figures.error && (
        <div className="middle">
          <div role="alert">
            <p>{figures.error}</p>
            <Button size="compact-sm" variant="default" onClick={figures.retry}>
              Try again
            </Button>
          </div>
        </div>
      )}
      {(lost || failure) && (
        <div className="middle">
          <div role="alert">{lost ? LOST : failure}</div>
        </div>
      )}
      {!figures.source && !figures.error && (
        <div className="middle">
          <div role="status">Loading the figure …</div>
        </div>
      )}
      <StageBar both={both} view={shownView} clips={renderer ? clipsFor(renderer) : []} />
    </section>
  );
}
