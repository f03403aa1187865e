import { Button } from '@mantine/core';
import { expressionSetOf, findExpressions } from '@dimetra/core';
import { useEffect, useMemo, useState } from 'react';
import { useDesk } from '../stage/context.ts';
import { useAppDispatch } from '../store/store.ts';
import { expressionPlayed } from '../store/view-slice.ts';
import styles from './Morphs.module.css';

/** How long each is shown, milliseconds. */
const EACH = 1200;

interface PlayExpressionsProps {
  set: Parameters<typeof expressionSetOf>[0];
  said: Readonly<Record<string, string>>;
}

/** Shows the set's expressions one after the other on both figures: on the source what stands for each, on the result what it is called there. */
export function PlayExpressions({ set, said }: PlayExpressionsProps) {
  const document = useDesk().figures.source?.document,
    dispatch = useAppDispatch(),
    [at, setAt] = useState<number | null>(null),
    playing = at !== null,
    found = useMemo(
      () =>
        playing && document
          ? findExpressions(document, expressionSetOf(set), said).found.map(({ entry, how, terms }) => ({
              name: entry.name,
              how,
              source: Object.fromEntries(terms.map(({ morph, weight }) => [morph, weight])),
            }))
          : [],
      [playing, document, set, said],
    ),
    now = at === null ? undefined : found[at % Math.max(1, found.length)];
  useEffect(() => {
    if (!now) return;
    dispatch(expressionPlayed({ source: now.source, result: { [now.name]: 1 } }));
    const next = setTimeout(() => setAt((before) => (before === null ? null : before + 1)), EACH);
    return () => clearTimeout(next);
  }, [now, dispatch]);
  // Whatever ends it, the dials are those of before.
  useEffect(() => {
    if (playing)
      return () => {
        dispatch(expressionPlayed(null));
      };
  }, [playing, dispatch]);
  return (
    <>
      <Button size="compact-xs" variant="default" aria-pressed={playing} onClick={() => setAt(playing ? null : 0)}>
        {playing ? 'Stop' : 'Play one after the other'}
      </Button>
      <span className={`quiet ${styles.about}`} aria-live="polite" data-played={now?.name}>
        {now ? `${now.name}, ${((at ?? 0) % found.length) + 1} of ${found.length}` : ''}
      </span>
    </>
  );
}
