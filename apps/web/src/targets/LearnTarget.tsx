import { Button, MultiSelect, TextInput } from '@mantine/core';
import { type Learned, learnTarget, type Sample } from '@dimetra/core';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, sentenceOf, useAddTargetMutation, useCharactersQuery, useLearnFigureMutation } from '../api/api.ts';
import { freeId } from '../shared/free-id.ts';
import { useAppDispatch } from '../store/store.ts';
import styles from './targets.module.css';

interface Outcome {
  id: string;
  title: string;
  sample: { id: string; name: string };
  evidence: readonly Learned[];
  doubts: readonly Learned[];
}

/** A target from characters that already work where it is for: every field with what it was taken from, and what is left to ask. */
export function LearnTarget({ taken, onLearned }: { taken: readonly string[]; onLearned(id: string): void }) {
  const dispatch = useAppDispatch(),
    { data: characters = [] } = useCharactersQuery(),
    [learnFigure] = useLearnFigureMutation(),
    [add] = useAddTargetMutation(),
    [chosen, setChosen] = useState<string[]>([]),
    [title, setTitle] = useState(''),
    [busy, setBusy] = useState(false),
    [problem, setProblem] = useState<string | null>(null),
    [outcome, setOutcome] = useState<Outcome | null>(null);
  const learn = async () => {
    setBusy(true);
    setProblem(null);
    setOutcome(null);
    try {
      const samples: Sample[] = [];
      for (const id of chosen) {
        const { data, error } = await dispatch(api.endpoints.character.initiate(id, { subscribe: false }));
        if (!data) throw new Error(sentenceOf(error));
        samples.push({ summary: data.revision.summary, files: data.revision.files });
      }
      const [first, ...others] = samples,
        named = title.trim() || `As ${first.summary.name}`;
      let figure: string | undefined;
      if (first.summary.joints.length) {
        const answer = await learnFigure({ characterId: chosen[0], title: `${named} figure` });
        if (answer.error) throw new Error(sentenceOf(answer.error));
        figure = answer.data.id;
      }
      const { target, evidence, doubts } = learnTarget([first, ...others], {
          id: freeId(named, taken, 'target'),
          title: named.slice(0, 80),
          figure,
        }),
        made = await add(target);
      if (made.error) throw new Error(sentenceOf(made.error));
      setOutcome({
        id: target.id,
        title: target.title,
        sample: { id: chosen[0], name: first.summary.name },
        evidence,
        doubts,
      });
      onLearned(target.id);
    } catch (error) {
      setProblem((error as Error).message);
    } finally {
      setBusy(false);
    }
  };
  return (
    <details className="card" open={outcome !== null || undefined}>
      <summary>Learn a target from what already works there</summary>
      <form
        className={`${styles.fields} ${styles.learn}`}
        onSubmit={(event) => {
          event.preventDefault();
          void learn();
        }}
      >
        <MultiSelect
          label="Characters that work there"
          size="sm"
          value={chosen}
          onChange={setChosen}
          data={characters.map(({ id, name }) => ({ value: id, label: name }))}
          className={styles.wide}
        />
        <TextInput
          label="Call it"
          placeholder="Where it is for"
          size="sm"
          value={title}
          maxLength={80}
          onChange={(event) => setTitle(event.target.value)}
        />
        <Button type="submit" size="sm" className={styles.send} loading={busy} disabled={!chosen.length}>
          Learn
        </Button>
      </form>
      {problem && <p role="alert">{problem}</p>}
      {outcome && (
        <div data-learned={outcome.id}>
          <p>
            “{outcome.title}” was learned.{' '}
            <Link to={`/c/${outcome.sample.id}/${outcome.id}/deliver`}>Run {outcome.sample.name} for it</Link>: all its
            rules should hold.
          </p>
          <table className="list" aria-label="What it was taken from">
            <tbody>
              {outcome.evidence.map(({ field, says }) => (
                <tr key={field}>
                  <td className="quiet">{field}</td>
                  <td>{says}</td>
                </tr>
              ))}
              {outcome.doubts.map(({ field, says }) => (
                <tr key={`asks ${field}`}>
                  <td className="quiet">{field}</td>
                  <td>
                    <b>Asked:</b> {says}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </details>
  );
}
