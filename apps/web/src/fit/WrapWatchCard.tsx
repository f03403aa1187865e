import { Button, Progress } from '@mantine/core';
import { useDesk } from '../stage/context.ts';
import { useAppDispatch } from '../store/store.ts';
import { jumped } from '../store/view-slice.ts';

/** The other figure's polygons taking on the shape on the stage, before anything is run. */
export function WrapWatchCard() {
  const { watch } = useDesk(),
    dispatch = useAppDispatch();
  if (!watch) return null;
  const { state, done, found, message, start, stop } = watch,
    mm = (value: number) => value.toFixed(2),
    begin = () => {
      // Where it is seen best: clothes lie over the rest.
      dispatch(jumped('head'));
      start();
    };
  return (
    <section className="card" aria-label="Watch the wrap" data-watch={state} data-done={done.toFixed(2)}>
      <div className="top">
        <span>On the stage</span>
      </div>
      {state === 'off' && <p>See the polygons take on this shape, over the source. Nothing is changed by it.</p>}
      {state === 'running' && (
        <>
          <p role="status">{done > 0 ? 'Taking on the shape …' : 'Looking for what lies inside …'}</p>
          <Progress value={done * 100} size="sm" aria-label="How far the wrap is" />
        </>
      )}
      {state === 'done' && found && (
        <p role="status">
          The skin would lie <span className="num">{mm(found.rmsMm)}</span> mm off this one’s surface in the mean, 99 %
          of it within <span className="num">{mm(found.most99Mm)}</span> mm
          {found.turned
            ? `; ${found.turned === 1 ? 'a face is' : `${found.turned} faces are`} turned over.`
            : '; no face is turned over.'}
        </p>
      )}
      {state === 'failed' && <p role="alert">It can’t be shown: {message}</p>}
      <div className="acts">
        {state === 'running' ? (
          <Button size="compact-xs" variant="default" onClick={stop}>
            Stop watching
          </Button>
        ) : (
          <Button size="compact-xs" variant="default" onClick={begin}>
            {state === 'off' ? 'Watch the wrap' : 'Once more'}
          </Button>
        )}
        {state === 'done' && (
          <Button size="compact-xs" variant="default" onClick={stop}>
            Take it off the stage
          </Button>
        )}
      </div>
    </section>
  );
}
