import { Button, FileButton, Progress } from '@mantine/core';
import { isUnchanged, type KindChanges, namesAfter, namesMissing, stepById } from '@dimetra/core';
import type { SourceTaken } from '@dimetra/contract';
import { useState } from 'react';
import { api, sentenceOf, useGoBackMutation } from '../api/api.ts';
import { sendFiles } from '../api/upload.ts';
import { STATION_NAMES } from '../line/stations.ts';
import { ago } from '../shared/format.ts';
import { useDesk } from '../stage/context.ts';
import { recipeSettled, useAppDispatch, useAppSelector } from '../store/store.ts';

const KINDS = [
  ['part', 'Parts'],
  ['material', 'Materials'],
  ['joint', 'Joints'],
  ['morph', 'Morphs'],
  ['map', 'Maps'],
  ['clip', 'Clips'],
] as const;
const MOST_NAMED = 8;

const few = (names: readonly string[]): string =>
  `${names.slice(0, MOST_NAMED).join(', ')}${names.length > MOST_NAMED ? ` and ${names.length - MOST_NAMED} more` : ''}`;

/** Brings in a new version of the character's files, and tells what it has otherwise and what of the recipe no longer fits. */
export function NewSource() {
  const { character, run, onOpen } = useDesk(),
    dispatch = useAppDispatch(),
    recipe = useAppSelector((state) => state.recipe.recipe),
    [goBack, going] = useGoBackMutation(),
    [sent, setSent] = useState<number | null>(null),
    [problem, setProblem] = useState<string | null>(null),
    [taken, setTaken] = useState<SourceTaken | null>(null);
  const { before, number, summary } = character.revision,
    missing = before && recipe ? namesMissing(recipe, namesAfter(before.changes, summary, run?.result)) : [],
    carried = taken?.revisionId === character.revision.id ? taken.carried.flatMap((one) => one.carried) : [];
  const bring = async (files: readonly File[]) => {
    if (!files.length) return;
    setProblem(null);
    setSent(0);
    try {
      // What is being saved is carried too.
      await recipeSettled();
      setTaken(
        await sendFiles<SourceTaken>(
          `/api/v1/characters/${character.id}/source`,
          files.map((file) => ({ path: file.name, file })),
          setSent,
        ),
      );
      dispatch(api.util.invalidateTags(['characters', 'conversion']));
    } catch (error) {
      setProblem((error as Error).message);
    } finally {
      setSent(null);
    }
  };
  return (
    <>
      <h3>Source</h3>
      {problem && (
        <div className="card blocks" role="alert">
          <p className="only">{problem}</p>
        </div>
      )}
      {before && (
        <div className="card info" data-source={number}>
          <div className="top">
            <span>Version {number}</span>
            <span>
              after version {before.number}, {ago(before.createdAt)}
            </span>
          </div>
          {isUnchanged(before.changes) ? (
            <p>It has nothing otherwise than the version before.</p>
          ) : (
            KINDS.map(([kind, title]) => <KindLine key={kind} title={title} changes={before.changes[kind]} />)
          )}
          {carried.length > 0 && (
            <p>Recipes say the same of other names now: {few(carried.map(({ from, to }) => `${from} → ${to}`))}.</p>
          )}
          <div className="acts">
            <Button
              size="compact-xs"
              variant="default"
              loading={going.isLoading}
              onClick={async () => {
                const answer = await goBack({ id: character.id, copyOf: before.id });
                if (answer.error) setProblem(sentenceOf(answer.error));
                dispatch(api.util.invalidateTags(['conversion']));
              }}
            >
              Back to version {before.number}
            </Button>
          </div>
        </div>
      )}
      {missing.length > 0 && (
        <div className="card attention" data-unfit={missing.length}>
          <div className="top">
            <span>No longer fits</span>
            <span>
              {missing.length} {missing.length === 1 ? 'name' : 'names'}
            </span>
          </div>
          {missing.slice(0, MOST_NAMED).map(({ step, kind, name, nearest }) => {
            const found = stepById(step);
            return (
              <p key={`${step} ${kind} ${name}`}>
                “{found?.title ?? step}” speaks of the {kind} “{name}”, which this version doesn’t have{nearest}.{' '}
                {found && (
                  <button type="button" className="crumb" onClick={() => onOpen(found.station)}>
                    Go to {STATION_NAMES[found.station]}
                  </button>
                )}
              </p>
            );
          })}
          {missing.length > MOST_NAMED && <p>And {missing.length - MOST_NAMED} more.</p>}
        </div>
      )}
      {sent === null ? (
        <FileButton multiple onChange={(files) => void bring(files)}>
          {(props) => (
            <Button size="compact-sm" variant="default" data-bring-source {...props}>
              Bring in a new version
            </Button>
          )}
        </FileButton>
      ) : (
        <div role="status">
          <span className="quiet">{sent < 1 ? 'Sending' : 'Reading'} …</span>
          <Progress value={sent * 100} size={4} color="var(--done)" aria-label="Sent" />
        </div>
      )}
      <p className="quiet">What was decided here goes with it, by name and by place.</p>
    </>
  );
}

/** What one kind of thing has otherwise, in a line; nothing where nothing has. */
function KindLine({ title, changes }: { title: string; changes: KindChanges }) {
  const { gone, came, renamed, changed } = changes,
    says = [
      gone.length && `gone: ${few(gone)}`,
      came.length && `new: ${few(came)}`,
      renamed.length && `called otherwise: ${few(renamed.map(({ from, to }) => `${from} → ${to}`))}`,
      changed.length && `changed: ${few(changed.map(({ name, what }) => `${name} (${what})`))}`,
    ].filter(Boolean);
  return says.length ? (
    <p>
      <b>{title}</b> {says.join('; ')}.
    </p>
  ) : null;
}
