import { Button } from '@mantine/core';
import { useEffect, useMemo, useRef, useState } from 'react';
import { RANGE_SECONDS } from '@dimetra/core';
import { buildFigure } from '../figure/build.ts';
import { measureDeviation, type Deviation } from '../figure/deviation.ts';
import { useDesk } from './context.ts';
import { facesOf } from '../figure/regions.ts';
import { settingsOf } from '../store/recipe-slice.ts';
import { store, useAppDispatch, useAppSelector } from '../store/store.ts';
import { facePicked, jointPicked, jointTurned, partPicked, RANGE, type View } from '../store/view-slice.ts';
import type { Picking } from './picking.ts';
import { StageRenderer } from './renderer.ts';
import { MOST_INFLUENCES } from './state.ts';
import { StageBar } from './StageBar.tsx';
import { useResultNames, useSourceNames } from './result-joint.ts';

const TAGS: Record<View, readonly ('source' | 'result')[]> = {
  pair: ['source', 'result'],
  wipe: ['source', 'result'],
  source: ['source'],
  result: ['result'],
  overlay: [],
  difference: [],
};
const clipsFor = (renderer: StageRenderer) => [{ name: RANGE, seconds: RANGE_SECONDS }, ...renderer.clipsOf('source')];
const height = (summary: { heightCm: number }): string => `${summary.heightCm.toFixed(1)} cm`;

const shareBeyond = (distances: Float32Array, limitMm: number): string =>
  ((100 * distances.filter((mm) => mm > limitMm).length) / Math.max(1, distances.length)).toFixed(1);

/** Source and result under one camera. */
export function Stage() {
  const { character, target, figures, staged, stage, open, regions } = useDesk();
  const dispatch = useAppDispatch();
  const view = useAppSelector((state) => state.view);
  const canvas = useRef<HTMLCanvasElement>(null);
  const [renderer, setRenderer] = useState<StageRenderer | null>(null);
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
      made = new StageRenderer(canvas.current);
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
      buildFigure(figures.source, () => renderer.drawSoon()),
    );
    renderer.jump('figure');
  }, [renderer, figures.source]);
  useEffect(() => {
    renderer?.setFigure('result', figures.result ? buildFigure(figures.result, () => renderer.drawSoon()) : null);
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
  const limitMm = target.parity.restRmsMm;
  const painted = useMemo(
    () => ({ misplaced: facesOf(regions.misplaced ?? []), chosen: facesOf(regions.chosen ? [regions.chosen] : []) }),
    [regions.misplaced, regions.chosen],
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
      limitMm,
      regions: painted,
    });
  }, [renderer, view, shownView, resultJoint, resultName, deviation, limitMm, painted]);
  useEffect(() => {
    if (view.jump.count) renderer?.jump(view.jump.to);
  }, [renderer, view.jump]);
  useEffect(() => {
    if (renderer) {
      renderer.wipe = wipe;
      renderer.draw();
    }
  }, [renderer, wipe]);

  const press = useRef<[number, number] | null>(null);
  const grip = useRef<ReturnType<Picking['jointAt']>>(null);
  const both = Boolean(figures.result);
  const place = both ? shownView : 'source';
  return (
    <section className="stage" aria-label="Stage">
      <canvas
        ref={canvas}
        tabIndex={0}
        aria-label={`${character.name}, ${place === 'pair' ? 'source and result side by side' : place}. Drag to turn, wheel to come closer, click to choose a part.`}
        onPointerDown={(event) => {
          press.current = [event.clientX, event.clientY];
          const box = event.currentTarget.getBoundingClientRect();
          grip.current =
            event.button === 0
              ? (renderer?.picking.jointAt(event.clientX - box.left, event.clientY - box.top) ?? null)
              : null;
          if (renderer && grip.current) {
            renderer.controls.enabled = false;
            event.currentTarget.setPointerCapture(event.pointerId);
          }
        }}
        onPointerMove={(event) => {
          const box = event.currentTarget.getBoundingClientRect(),
            x = event.clientX - box.left,
            y = event.clientY - box.top;
          if (!renderer || !grip.current || !press.current) {
            if (renderer)
              event.currentTarget.style.cursor = view.skeleton && renderer.picking.jointAt(x, y) ? 'grab' : '';
            return;
          }
          if (Math.hypot(event.clientX - press.current[0], event.clientY - press.current[1]) < 4) return;
          const moved = renderer.picking.follow(grip.current, x, y);
          if (moved)
            dispatch(
              jointTurned({
                joint: grip.current.side === 'source' ? moved.joint : sourceName(moved.joint),
                turn: moved.turn,
              }),
            );
        }}
        onPointerUp={(event) => {
          const start = press.current,
            held = grip.current;
          press.current = grip.current = null;
          if (renderer) renderer.controls.enabled = true;
          if (!renderer || !start || Math.hypot(event.clientX - start[0], event.clientY - start[1]) > 4) return;
          const box = event.currentTarget.getBoundingClientRect();
          if (held) dispatch(jointPicked(held.side === 'source' ? held.name : sourceName(held.name)));
          if (view.look === 'slots') {
            dispatch(facePicked(renderer.picking.pickFace(event.clientX - box.left, event.clientY - box.top)));
            return;
          }
          dispatch(partPicked(renderer.picking.pick(event.clientX - box.left, event.clientY - box.top)?.part ?? null));
        }}
      />
      {TAGS[place].includes('source') && (
        <div className="tag" style={{ left: 0, boxShadow: 'inset 3px 0 var(--source)' }}>
          <span className="source">Source</span> <b className="num">{height(character.revision.summary)}</b>
        </div>
      )}
      {place === 'overlay' && (
        <div className="tag" style={{ left: 0 }}>
          <span className="result">Result</span> <b>over</b> <span className="source">source</span>
        </div>
      )}
      {place === 'difference' && (
        <div className="tag" style={{ left: 0 }}>
          <span className="source">Source</span> <b>against</b> <span className="result">result</span>
          <b>: dim is alike, light is different</b>
        </div>
      )}
      {both && TAGS[place].includes('result') && (
        <div
          className="tag other"
          style={{
            left: place === 'pair' ? '50%' : place === 'wipe' ? `${wipe * 100}%` : 0,
            boxShadow: 'inset 3px 0 var(--result)',
          }}
        >
          <span className="result">Result</span>{' '}
          <b className="num">{staged?.result ? height(staged.result) : target.title}</b>
        </div>
      )}
      {place === 'pair' && (
        <div
          style={{
            position: 'absolute',
            left: '50%',
            top: 0,
            bottom: 0,
            width: 1,
            background: 'rgba(0,0,0,.45)',
            pointerEvents: 'none',
          }}
        />
      )}
      {place === 'wipe' && (
        <input
          type="range"
          aria-label="Place of the wipe"
          min={0}
          max={1}
          step={0.005}
          value={wipe}
          onChange={(event) => setWipe(Number(event.target.value))}
          className="wipe"
          style={{ position: 'absolute', left: 0, right: 0, top: 50, width: '100%', margin: 0, accentColor: '#efe8d8' }}
        />
      )}
      {view.look === 'deviation' && both && (
        <div className="tag key">
          {deviation && deviation.url === figures.resultUrl ? (
            <>
              dark within <span className="num">{limitMm} mm</span>, light beyond:{' '}
              <span className="num" data-beyond>
                {shareBeyond(deviation.map.open.result, limitMm)} %
              </span>
              ; grey is covered
            </>
          ) : (
            'Measuring …'
          )}
        </div>
      )}
      {figures.error && (
        <div className="middle">
          <div role="alert">
            <p style={{ margin: '0 0 8px' }}>{figures.error}</p>
            <Button size="compact-sm" variant="default" onClick={figures.retry}>
              Try again
            </Button>
          </div>
        </div>
      )}
      {failure && (
        <div className="middle">
          <div role="alert">{failure}</div>
        </div>
      )}
      {!figures.source && !figures.error && (
        <div className="middle">
          <div role="status">Loading the figure …</div>
        </div>
      )}
      {view.look === 'influences' && (
        <div className="tag" style={{ top: 46, right: 0, borderRadius: '6px 0 0 6px' }}>
          1 to <span className="num">{MOST_INFLUENCES}</span> influences, dark to light
        </div>
      )}
      <StageBar both={both} view={shownView} clips={renderer ? clipsFor(renderer) : []} />
    </section>
  );
}
