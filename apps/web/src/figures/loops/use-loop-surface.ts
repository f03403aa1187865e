import type { Figure, LoopSurface } from '@dimetra/core';
import { type Remote, wrap } from 'comlink';
import { useEffect, useRef, useState } from 'react';
import type { LoopsWorker } from '../../workers/loops.worker.ts';

/** A figure's skin where its loops are shown, and what can be asked about it. */
export interface LoopSkin {
  state: 'loading' | 'ready' | 'failed';
  message: string | null;
  surface: Pick<LoopSurface, 'places' | 'corners'> | null;
  ask: Remote<LoopsWorker> | null;
}
const LOADING: LoopSkin = { state: 'loading', message: null, surface: null, ask: null };

/** Opens a figure's skin in a worker, as long as it is looked at. */
export function useLoopSurface({ id, title, body }: Figure): LoopSkin {
  const [skin, setSkin] = useState<LoopSkin>(LOADING),
    file = body?.file;
  const name = useRef(title);
  name.current = title;
  useEffect(() => {
    if (!file) return;
    setSkin(LOADING);
    let isWanted = true;
    const worker = new Worker(new URL('../../workers/loops.worker.ts', import.meta.url), { type: 'module' }),
      ask = wrap<LoopsWorker>(worker);
    (async () => {
      const answer = await fetch(`/api/v1/figures/${id}/archive`);
      if (!answer.ok)
        throw new Error(`The skin of ${name.current} is not here any more. Bring the figure once more, with its skin.`);
      const surface = await ask.open(new Uint8Array(await answer.arrayBuffer()), name.current);
      if (isWanted) setSkin({ state: 'ready', message: null, surface, ask });
    })().catch((error: Error) => {
      if (isWanted) setSkin({ ...LOADING, state: 'failed', message: error.message });
    });
    return () => {
      isWanted = false;
      worker.terminate();
    };
  }, [id, file]);
  return skin;
}
