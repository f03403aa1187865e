import { Button } from '@mantine/core';
import { useState } from 'react';
import { Link } from 'react-router';
import { sentenceOf, useCharactersQuery, useTargetsQuery } from '../api/api.ts';
import { Failed } from '../shared/Failed.tsx';
import { ContactSheet } from './ContactSheet.tsx';
import { Matrix } from './Matrix.tsx';
import { Outcomes } from './Outcomes.tsx';
import { cellsOf, keyOf, summaryOf, wantsRun } from './cells.ts';
import { useRunCells } from './use-run-cells.ts';

/** Everybody for every target: what is delivered, what runs, what stands worst; chosen and run together. */
export function MatrixPage() {
  const { data: characters, error, refetch } = useCharactersQuery(),
    { data: targets = [] } = useTargetsQuery(),
    [chosen, setChosen] = useState<ReadonlySet<string>>(new Set()),
    cells = cellsOf(characters ?? [], targets),
    { run, stop, busy, problem } = useRunCells();
  const running = cells.filter(({ entry }) => entry?.state === 'queued' || entry?.state === 'running'),
    asked = cells.filter((cell) => chosen.has(keyOf(cell)));
  return (
    <main className="page">
      <header>
        <div>
          <h1>Cast by targets</h1>
          <span className="quiet" aria-live="polite" data-summary>
            {characters ? summaryOf(cells) : 'Loading the cast …'}
          </span>
        </div>
      </header>
      {error !== undefined && <Failed sentence={sentenceOf(error)} onAgain={refetch} />}
      {problem && <Failed sentence={problem} />}
      {characters?.length === 0 && (
        <p className="quiet">
          Nobody is here yet. <Link to="/">Bring a character in</Link>, and it stands here beside every target.
        </p>
      )}
      {cells.length > 0 && (
        <>
          <Matrix cells={cells} characters={characters ?? []} targets={targets} chosen={chosen} onChoose={setChosen} />
          <div className="row apart">
            <Button
              size="compact-md"
              disabled={!asked.length}
              loading={busy}
              onClick={async () => {
                await run(asked);
                setChosen(new Set());
              }}
            >
              {asked.length ? `Run the ${asked.length} chosen` : 'Run what is chosen'}
            </Button>
            <Button
              size="compact-md"
              variant="default"
              onClick={() => setChosen(new Set(cells.filter(wantsRun).map(keyOf)))}
            >
              Choose what isn’t deliverable
            </Button>
            <Button size="compact-md" variant="default" disabled={!chosen.size} onClick={() => setChosen(new Set())}>
              Choose none
            </Button>
            {running.length > 0 && (
              <Button size="compact-md" variant="default" onClick={() => stop(running)}>
                {running.length === 1 ? 'Stop the one that runs' : `Stop all ${running.length}`}
              </Button>
            )}
          </div>
          <Outcomes cells={cells} />
          <ContactSheet cells={cells} />
        </>
      )}
    </main>
  );
}
