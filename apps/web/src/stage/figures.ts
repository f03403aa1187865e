import { useEffect, useMemo, useState } from 'react';
import { loadFigure, type LoadedFigure } from '../figure/load.ts';
import { standFigure, type StandSettings } from '../figure/stand.ts';
import { settingsOf } from '../store/recipe-slice.ts';
import { useAppSelector } from '../store/store.ts';

export interface Figures {
  source: LoadedFigure | null;
  result: LoadedFigure | null;
  sourceUrl: string | null;
  resultUrl: string | null;
  error: string | null;
  retry: () => void;
}

/** Source and result as they are needed; the last result stays until the next one is here. */
export function useFigures(revisionId: string | undefined, runId: string | undefined): Figures {
  const sourceUrl = revisionId ? `/api/v1/revisions/${revisionId}/manifest` : null;
  const resultUrl = runId ? `/api/v1/runs/${runId}/manifest` : null;
  const [arrived, setArrived] = useState<LoadedFigure | null>(null);
  const [result, setResult] = useState<LoadedFigure | null>(null);
  const [error, setError] = useState<string | null>(null);
  const [attempt, setAttempt] = useState(0);
  useEffect(() => {
    void attempt;
    return follow(sourceUrl, setArrived, setError);
  }, [sourceUrl, attempt]);
  useEffect(() => {
    void attempt;
    return follow(resultUrl, setResult, setError);
  }, [resultUrl, attempt]);
  // The source is shown standing, as the first step will stand it, whatever unit and axes its file has.
  const stand = JSON.stringify(useAppSelector((state) => settingsOf(state.recipe.recipe, 'intake.stand')));
  const source = useMemo(() => arrived && standFigure(arrived, JSON.parse(stand) as StandSettings), [arrived, stand]);
  return { source, result, sourceUrl, resultUrl, error, retry: () => setAttempt(attempt + 1) };
}

function follow(
  url: string | null,
  set: (figure: LoadedFigure | null) => void,
  fail: (error: string | null) => void,
): () => void {
  let left = false;
  if (!url) {
    set(null);
    return () => {};
  }
  fail(null);
  loadFigure(url).then(
    (figure) => {
      if (!left) set(figure);
    },
    (error: Error) => {
      if (!left) fail(error.message);
    },
  );
  return () => {
    left = true;
  };
}
