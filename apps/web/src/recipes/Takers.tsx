import { Button, Switch } from '@mantine/core';
import type { Target } from '@dimetra/core';
import type { SharedRecipeRow } from '@dimetra/contract';
import { useState } from 'react';
import { useCharactersQuery, useRecipesQuery } from '../api/api.ts';
import { Failed } from '../shared/Failed.tsx';
import { TakerRow } from './TakerRow.tsx';
import { useTaking } from './use-taking.ts';

/** Everybody for one target: what taking the recipe would change of each, before it is taken and before anything runs. */
export function Takers({ row, target }: { row: SharedRecipeRow; target: Target }) {
  const { data: characters = [] } = useCharactersQuery(),
    { data: recipes = [] } = useRecipesQuery(),
    [chosen, setChosen] = useState<ReadonlySet<string>>(new Set()),
    [keepOwn, setKeepOwn] = useState(true),
    [open, setOpen] = useState<string | null>(null),
    taking = useTaking(row, target.id, recipes),
    asked = characters.filter(({ id }) => chosen.has(id));
  const toggle = (id: string) =>
    setChosen((before) => new Set(before.has(id) ? [...before].filter((one) => one !== id) : [...before, id]));
  return (
    <>
      {taking.problem && <Failed sentence={taking.problem} />}
      {taking.done.length > 0 && (
        <div className="card info" role="status">
          <p className="says">
            {taking.done.length === 1 ? 'One character follows' : `${taking.done.length} characters follow`} version{' '}
            {row.latest.version} now. Nothing has run yet.
          </p>
          <div className="row">
            <Button size="compact-sm" loading={taking.busy} onClick={() => taking.run()}>
              Run {taking.done.length === 1 ? 'it' : 'them'}
            </Button>
            <Button size="compact-sm" variant="default" disabled={taking.busy} onClick={() => taking.takeBack()}>
              Take it back
            </Button>
          </div>
        </div>
      )}
      <table className="list" aria-label={`What it would do for ${target.title}`}>
        <thead>
          <tr>
            <th>
              <input
                type="checkbox"
                aria-label="Everybody"
                checked={characters.length > 0 && chosen.size === characters.length}
                onChange={(event) => setChosen(new Set(event.target.checked ? characters.map(({ id }) => id) : []))}
              />
            </th>
            <th>Character</th>
            <th>Follows</th>
            <th>Would change</th>
            <th>Keeps of its own</th>
            <th>Names it doesn’t have</th>
          </tr>
        </thead>
        <tbody>
          {characters.map((character) => (
            <TakerRow
              key={character.id}
              character={character}
              targetId={target.id}
              row={row}
              recipes={recipes}
              keepOwn={keepOwn}
              chosen={chosen.has(character.id)}
              open={open === character.id}
              onChoose={() => toggle(character.id)}
              onOpen={() => setOpen(open === character.id ? null : character.id)}
            />
          ))}
        </tbody>
      </table>
      <div className="row apart">
        <Button
          size="compact-md"
          disabled={!asked.length}
          loading={taking.busy}
          onClick={async () => {
            await taking.take(asked, keepOwn);
            setChosen(new Set());
          }}
        >
          {asked.length ? `Give it to the ${asked.length} chosen` : 'Give it to those chosen'}
        </Button>
        <Switch
          size="xs"
          label="They keep what is their own"
          checked={keepOwn}
          onChange={(event) => setKeepOwn(event.currentTarget.checked)}
        />
      </div>
    </>
  );
}
