import { RANGE_OF_MOTION, POSE_SECONDS } from '@dimetra/core';
import { IconPlayerPause, IconPlayerPlay, IconX } from '@tabler/icons-react';
import { useEffect } from 'react';
import { store, useAppDispatch, useAppSelector } from '../store/store.ts';
import { clipChosen, playSwitched, RANGE, scrubbed } from '../store/view-slice.ts';

/** The clip that is shown: played, stopped, scrubbed; both figures follow. */
export function PlayBar({ clips }: { clips: readonly { name: string; seconds: number }[] }) {
  const dispatch = useAppDispatch();
  const { clip, time, playing } = useAppSelector((state) => state.view);
  const seconds = clips.find((entry) => entry.name === clip)?.seconds ?? 0;
  useEffect(() => {
    if (!playing || !seconds) return;
    let last = performance.now(),
      frame = requestAnimationFrame(function tick(now) {
        dispatch(scrubbed((store.getState().view.time + (now - last) / 1000) % seconds));
        last = now;
        frame = requestAnimationFrame(tick);
      });
    return () => cancelAnimationFrame(frame);
  }, [playing, seconds, dispatch]);
  const pose =
    clip === RANGE ? RANGE_OF_MOTION[Math.min(RANGE_OF_MOTION.length - 1, Math.floor(time / POSE_SECONDS))].name : null;
  return (
    <div className="play" role="group" aria-label="Clip">
      <button type="button" aria-label={playing ? 'Stop' : 'Play'} onClick={() => dispatch(playSwitched(!playing))}>
        {playing ? <IconPlayerPause size={15} /> : <IconPlayerPlay size={15} />}
      </button>
      <b>{clip}</b>
      <input
        type="range"
        aria-label="Time in the clip"
        min={0}
        max={seconds}
        step={0.01}
        value={time}
        onChange={(event) => {
          dispatch(playSwitched(false));
          dispatch(scrubbed(Number(event.target.value)));
        }}
      />
      <span className="num">
        {time.toFixed(2)} of {seconds.toFixed(1)} s
      </span>
      <span className="pose">{pose}</span>
      <button type="button" aria-label="Back to rest" onClick={() => dispatch(clipChosen(null))}>
        <IconX size={15} />
      </button>
    </div>
  );
}
