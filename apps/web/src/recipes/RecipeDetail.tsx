import { Button, NativeSelect } from '@mantine/core';
import { recipeOf, saysOf, differences } from '@dimetra/core';
import type { SharedRecipeRow } from '@dimetra/contract';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { sentenceOf, useRemoveRecipeMutation, useTargetsQuery } from '../api/api.ts';
import { Failed } from '../shared/Failed.tsx';
import { ExportJson } from '../shared/JsonFile.tsx';
import { ago } from '../shared/format.ts';
import { DifferenceList } from './DifferenceList.tsx';
import { Takers } from './Takers.tsx';
import styles from './recipes.module.css';

/** One shared recipe: what it says, its versions, and whom it could be for. */
export function RecipeDetail({ row }: { row: SharedRecipeRow }) {
  const { latest, versions, keptAt } = row,
    navigate = useNavigate(),
    [remove] = useRemoveRecipeMutation(),
    { data: targets = [] } = useTargetsQuery(),
    [problem, setProblem] = useState<string | null>(null),
    [target, setTarget] = useState(latest.target ?? ''),
    [version, setVersion] = useState(latest.version),
    shown = versions.find((one) => one.version === version) ?? latest,
    chosen = targets.find(({ id }) => id === target) ?? targets[0];
  return (
    <div>
      <div className={styles.head}>
        <div>
          <h2>{latest.title}</h2>
          <span className="quiet">
            Version <span className="num">{latest.version}</span>, kept {ago(keptAt)} ·{' '}
            <span className="num">{latest.id}</span>
          </span>
        </div>
        <span className={styles.actions}>
          <Button
            variant="default"
            size="compact-md"
            onClick={async () => {
              const answer = await remove(latest.id);
              if (answer.error) setProblem(sentenceOf(answer.error));
              else navigate('/recipes');
            }}
          >
            Remove
          </Button>
          <ExportJson name={`${latest.id}-${shown.version}.json`} value={shown} size="compact-md" />
        </span>
      </div>
      {problem && <Failed sentence={problem} />}
      {latest.note && <p className="quiet says">{latest.note}</p>}
      <div className="card">
        <div className="top">
          <span>What it says</span>
          {versions.length > 1 ? (
            <NativeSelect
              size="xs"
              aria-label="Version"
              value={String(shown.version)}
              onChange={(event) => setVersion(Number(event.target.value))}
              data={versions.map((one) => ({ value: String(one.version), label: `Version ${one.version}` })).reverse()}
            />
          ) : (
            <span>Version 1</span>
          )}
        </div>
        <DifferenceList
          label="What it says"
          differences={saysOf(shown)}
          none="Nothing: every step is switched on, with what the target asks for."
        />
        {shown.version !== latest.version && (
          <DifferenceList
            label="What the newest version says otherwise"
            lead="The newest version says otherwise:"
            differences={differences(recipeOf(shown), recipeOf(latest))}
            none="The newest version has the same settings."
          />
        )}
      </div>
      <div className={styles.for}>
        <h3>What it would do</h3>
        <NativeSelect
          size="xs"
          aria-label="For which target"
          value={chosen?.id ?? ''}
          onChange={(event) => setTarget(event.target.value)}
          data={targets.map(({ id, title }) => ({ value: id, label: `for ${title}` }))}
        />
      </div>
      {chosen && <Takers key={chosen.id} row={row} target={chosen} />}
    </div>
  );
}
