import { Button, NativeSelect } from '@mantine/core';
import { useRef } from 'react';
import { useNavigate } from 'react-router';
import { blockingChecks } from '@dimetra/core';
import type { RunDetail } from '@dimetra/contract';
import { useCharactersQuery, useRunsQuery, useTargetsQuery } from '../api/api.ts';
import type { Arrival } from '../api/upload.ts';
import { ago, megabytes } from '../shared/format.ts';
import { CostList } from './CostList.tsx';
import { CrowdField } from './CrowdField.tsx';
import { FaultList } from './FaultList.tsx';
import { LevelList } from './LevelList.tsx';
import { LightFields } from './LightFields.tsx';
import { MorphDials } from './MorphDials.tsx';
import { MoveFields } from './MoveFields.tsx';
import { isJointsAlone } from './open-package.ts';
import type { Trial } from './use-world.ts';
import type { Moment, World } from './world.ts';

interface ProvingBenchProps {
  world: World | null;
  moment: Moment | null;
  trial: Trial;
  /** Whose package stands there; null for what was dropped. */
  run: RunDetail | null;
  runId: string | undefined;
  own: string | null;
  onFiles(arrivals: Arrival[]): void;
}

/** What goes wrong, and everything that can be tried. */
export function ProvingBench({ world, moment, trial, run, runId, own, onFiles }: ProvingBenchProps) {
  const ready = trial.state === 'ready' ? trial : null,
    { data: characters = [] } = useCharactersQuery(),
    character = characters.find(({ conversions }) => conversions.some(({ id }) => id === run?.conversionId)),
    blocking = run?.checks ? blockingChecks(run.checks) : [];
  return (
    <aside className="bench" aria-label="Proving ground">
      <header>
        <h2>{own ?? character?.name ?? 'Proving ground'}</h2>
        <span className="quiet">{own ? 'a file of yours' : (run?.target.title ?? '')}</span>
      </header>
      <Choose runId={runId} own={own} onFiles={onFiles} />
      {trial.state === 'empty' && !runId && (
        <p className="quiet says">
          A stand-in walks here. Choose a package that was delivered, or drop one, and it takes its place: opened by a
          loader that isn't ours, as it will be where it goes.
        </p>
      )}
      {trial.state === 'loading' && (
        <p className="quiet says" role="status">
          {trial.message} …
        </p>
      )}
      {trial.state === 'failed' && (
        <div className="card blocks" role="alert">
          <div className="top">
            <span>It can't be put on the quay</span>
          </div>
          <p>{trial.message}</p>
        </div>
      )}
      {ready && (
        <>
          <p className="quiet says" role="status" data-opened={ready.tried.seconds.toFixed(2)}>
            “{ready.given.model}” was opened by {ready.tried.by} in{' '}
            <span className="num">{ready.tried.seconds.toFixed(1)}</span> s; the package has{' '}
            <span className="num">{megabytes(ready.given.bytes)}</span> MB.
            {!ready.given.report && ' No report lies beside it, so it is held to nothing but the quay.'}
            {blocking.length > 0 &&
              ` Its delivery is blocked by ${blocking.length === 1 ? 'a rule' : `${blocking.length} rules`}.`}
          </p>
          {!ready.tried.facts.shows.morphs && ready.given.report?.result?.morphTargets?.length ? (
            <p className="quiet says">
              This loader shows no morphs; they are seen in a package of glTF or VRM. What rules say of them stands in
              the report.
            </p>
          ) : null}
          {isJointsAlone(ready.given.report) && (
            <p className="quiet says">
              Its target lets joints alone go out: there is nothing to be drawn. At Motion it plays on any figure.
            </p>
          )}
          <FaultList
            facts={ready.tried.facts}
            report={ready.given.report}
            target={run?.target ?? null}
            desk={run && character ? `/c/${character.id}/${run.target.id}` : null}
          />
          {world && ready.tried.facts.levels.length > 0 && (
            <LevelList
              key={`levels ${ready.given.model}`}
              world={world}
              nearest={ready.tried.facts.cost.triangles}
              levels={ready.tried.facts.levels}
              moment={moment}
            />
          )}
          <CostList cost={ready.tried.facts.cost} moment={moment} target={run?.target ?? null} />
          {world && (
            <>
              <MoveFields key={`moves ${ready.given.model}`} world={world} tried={ready.tried} />
              <MorphDials key={`dials ${ready.given.model}`} world={world} names={ready.tried.facts.morphs} />
            </>
          )}
        </>
      )}
      {world && <LightFields world={world} />}
      {world && ready && <CrowdField world={world} />}
    </aside>
  );
}

/** Packages that were delivered, newest first and once for each character and target, and files of one's own. */
function Choose({ runId, own, onFiles }: Pick<ProvingBenchProps, 'runId' | 'own' | 'onFiles'>) {
  const { data: runs = [] } = useRunsQuery(1),
    { data: targets = [] } = useTargetsQuery(),
    navigate = useNavigate(),
    input = useRef<HTMLInputElement>(null),
    seen = new Set<string>(),
    rows = runs.filter((row) => {
      const key = `${row.characterId} ${row.targetId}`,
        shown = row.deliveryId !== null && (row.id === runId || !seen.has(key));
      if (shown) seen.add(key);
      return shown;
    });
  return (
    <div className="row">
      <NativeSelect
        className="grows"
        size="xs"
        aria-label="Package"
        value={own === null ? (runId ?? '') : ''}
        onChange={(event) => navigate(`/proving/${event.target.value}`)}
        data={[
          { value: '', label: rows.length ? 'Choose a package' : 'No package is delivered yet' },
          ...rows.map((row) => ({
            value: row.id,
            label: `${row.character} for ${targets.find(({ id }) => id === row.targetId)?.title ?? row.targetId}, ${ago(row.finishedAt ?? row.createdAt)}`,
          })),
        ]}
      />
      <Button size="xs" variant="default" onClick={() => input.current?.click()}>
        Try a file
      </Button>
      <input
        ref={input}
        type="file"
        multiple
        hidden
        aria-label="Files to try"
        data-try
        onChange={(event) => {
          onFiles([...(event.target.files ?? [])].map((file) => ({ path: file.name, file })));
          event.target.value = '';
        }}
      />
    </div>
  );
}
