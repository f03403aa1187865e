import { Button } from '@mantine/core';
import { useState } from 'react';
import { Link } from 'react-router';
import { outcomeOf } from '../shared/outcome.ts';
import { badness, type Cell, keyOf } from './cells.ts';
import styles from './matrix.module.css';

const VIEWS = { figure: 'Figures', head: 'Heads' } as const;
type View = keyof typeof VIEWS;

/** Every result as it is drawn, the worst first; what it was made from beside it where asked. */
export function ContactSheet({ cells }: { cells: readonly Cell[] }) {
  const [view, setView] = useState<View>('figure'),
    [beside, setBeside] = useState(false),
    done = cells
      .filter(({ entry }) => entry?.state === 'done' && entry.runId)
      .sort((a, b) => badness(b) - badness(a) || keyOf(a).localeCompare(keyOf(b)));
  if (!done.length) return null;
  return (
    <section className={styles.outcomes} aria-label="Contact sheet">
      <div className="ends">
        <h2>Contact sheet</h2>
        <div className="row">
          {(Object.keys(VIEWS) as View[]).map((one) => (
            <Button
              key={one}
              size="compact-xs"
              variant={one === view ? 'filled' : 'default'}
              aria-pressed={one === view}
              onClick={() => setView(one)}
            >
              {VIEWS[one]}
            </Button>
          ))}
          <Button
            size="compact-xs"
            variant={beside ? 'filled' : 'default'}
            aria-pressed={beside}
            onClick={() => setBeside(!beside)}
          >
            Beside the source
          </Button>
        </div>
      </div>
      <div className={styles.sheet} data-beside={beside}>
        {done.map((cell) => {
          const { character, target, entry } = cell,
            picture = (side: string) => `/api/v1/runs/${entry?.runId}/picture?view=${view}&side=${side}`;
          return (
            <Link key={keyOf(cell)} to={`/c/${character.id}/${target.id}/check`} className={styles.shot}>
              <span className={styles.pictures}>
                {beside && <Shot key={picture('source')} of={picture('source')} alt={`${character.name}, source`} />}
                <Shot key={picture('result')} of={picture('result')} alt={`${character.name} for ${target.title}`} />
              </span>
              <span>
                {character.name} <span className="quiet">for {target.title}</span>
              </span>
              <span className={entry?.verdict?.state === 'blocks' ? styles.blocked : 'quiet'}>{outcomeOf(entry)}</span>
            </Link>
          );
        })}
      </div>
    </section>
  );
}

/** A picture, or that there is none: runs from before there were any have none, and such whose looks weren't measured. */
function Shot({ of, alt }: { of: string; alt: string }) {
  const [missing, setMissing] = useState(false);
  return missing ? (
    <span className={styles.none}>no picture: run it again</span>
  ) : (
    <img src={of} alt={alt} loading="lazy" onError={() => setMissing(true)} />
  );
}
