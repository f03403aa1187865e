import { useEffect, useMemo, useState } from 'react';
import { type Asymmetry, measureAsymmetry } from '../figure/ask-figure.ts';
import { settingsOf } from '../store/recipe-slice.ts';
import { store } from '../store/store.ts';
import type { Side } from './state.ts';

interface Urls {
  sourceUrl: string | null;
  resultUrl: string | null;
}
export interface Crooked {
  /** Null for a side that isn't measured yet. */
  found: Record<Side, Asymmetry | null>;
  parts: Record<Side, ReadonlyMap<string, Float32Array>>;
}
const NOTHING: ReadonlyMap<string, Float32Array> = new Map();
/** By the address of what was measured. */
type Measured = Readonly<Record<string, Asymmetry>>;

/** How crooked both figures are, measured once each when the look is asked for; null while it isn't, or is being measured. */
export function useAsymmetry(
  { sourceUrl, resultUrl }: Urls,
  asked: boolean,
  onFailure: (sentence: string) => void,
): Crooked | null {
  const [measured, setMeasured] = useState<Measured>({});
  useEffect(() => {
    if (!asked) return;
    let left = false;
    for (const [url, stand] of [
      [sourceUrl, settingsOf(store.getState().recipe.recipe, 'intake.stand')],
      [resultUrl, null],
    ] as const) {
      if (!url || measured[url]) continue;
      measureAsymmetry(url, stand).then(
        (found) => {
          if (!left) setMeasured((before) => ({ ...before, [url]: found }));
        },
        (error: Error) => {
          if (!left) onFailure(`The two sides can't be compared: ${error.message}`);
        },
      );
    }
    return () => {
      left = true;
    };
  }, [asked, sourceUrl, resultUrl, measured, onFailure]);
  const source = (sourceUrl && measured[sourceUrl]) || null,
    result = (resultUrl && measured[resultUrl]) || null;
  // One and the same as long as nothing is found anew: whoever paints by it paints once.
  return useMemo(
    () =>
      asked
        ? {
            found: { source, result },
            parts: { source: source?.parts ?? NOTHING, result: result?.parts ?? NOTHING },
          }
        : null,
    [asked, source, result],
  );
}
