import { NativeSelect, TextInput } from '@mantine/core';
import { useState } from 'react';
import type { CharacterDetail } from '@dimetra/contract';
import { type Named, type Names, namesBy, patternProblem } from '@dimetra/core';
import { useCharacterQuery, useCharactersQuery } from '../api/api.ts';
import type { FieldsProps } from './fields.ts';
import styles from './targets.module.css';

type Kind = keyof Names;
const KINDS: { kind: Kind; label: string; placeholder: string }[] = [
  { kind: 'file', label: 'The model is called', placeholder: 'as the character' },
  { kind: 'part', label: 'Parts are called', placeholder: 'as they are' },
  { kind: 'material', label: 'Materials are called', placeholder: 'as they are' },
  { kind: 'map', label: 'Maps are called', placeholder: 'as they are' },
];

/** What model, parts, materials and maps are called, and every name that comes of it for a character of the cast. */
export function NameFields({ draft, change }: FieldsProps) {
  const names = draft.package.names ?? {};
  function put(kind: Kind, text: string) {
    const { [kind]: _, ...rest } = names,
      next = text ? { ...rest, [kind]: text } : rest;
    change({ package: { ...draft.package, names: Object.keys(next).length ? next : undefined } });
  }
  return (
    <div className={`card ${styles.fields}`}>
      {KINDS.map(({ kind, label, placeholder }) => (
        <TextInput
          key={kind}
          label={label}
          placeholder={placeholder}
          size="sm"
          value={names[kind] ?? ''}
          error={patternProblem(kind, names[kind])}
          onChange={(event) => put(kind, event.target.value)}
        />
      ))}
      <p className={`quiet ${styles.whole}`}>
        {'{name}'} is the own name, {'{kind}'} what it is (skin, hair, eye), {'{character}'} and {'{target}'} theirs,{' '}
        {'{n}'} a number. Joints and morphs are named at their stations.
      </p>
      {Object.keys(names).length > 0 && <Preview names={names} target={draft.title} />}
    </div>
  );
}

/** Names as they would be, of a character as it came. */
function Preview({ names, target }: { names: Names; target: string }) {
  const { data: cast = [] } = useCharactersQuery(),
    [chosen, setChosen] = useState<string | null>(null),
    id = chosen ?? cast[0]?.id,
    { data: character } = useCharacterQuery(id ?? '', { skip: !id });
  if (!id) return <p className={`quiet ${styles.whole}`}>Bring in a character to see the names.</p>;
  const { rows, collided } = character
    ? namesFor(names, character.revision.summary, { character: character.name, target })
    : { rows: [], collided: 0 };
  return (
    <div className={styles.whole}>
      <div className={styles.head}>
        <NativeSelect
          aria-label="Names of"
          value={id}
          onChange={(event) => setChosen(event.target.value)}
          data={cast.map((row) => ({ value: row.id, label: row.name }))}
        />
        <span className="quiet" aria-live="polite">
          {collided
            ? `${collided} would have had a name that another has: a number stands behind ${collided === 1 ? 'it' : 'them'}.`
            : `${rows.length} names, all different.`}
        </span>
      </div>
      <div className={styles.names}>
        <table className="list" aria-label="Names">
          <thead>
            <tr>
              <th />
              <th className="source">Came as</th>
              <th className="result">Goes out as</th>
            </tr>
          </thead>
          <tbody>
            {rows.map(({ what, from, to }) => (
              <tr key={`${what} ${to}`}>
                <td className="quiet">{what}</td>
                <td className="clip" title={from}>
                  {from}
                </td>
                <td className="clip" title={to}>
                  {to}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </div>
  );
}

interface Row {
  what: string;
  from: string;
  to: string;
}
type Told = CharacterDetail['revision']['summary'];

function namesFor(names: Names, { parts, materials, textures }: Told, says: { character: string; target: string }) {
  const lists: [Kind, string, readonly Named[]][] = [
      ['file', 'model', [{ name: says.character }]],
      ['part', 'part', parts],
      ['material', 'material', materials],
      ['map', 'map', textures.map(({ name }) => ({ name: name.replace(/\.[^.]+$/, '') }))],
    ],
    rows: Row[] = [];
  let collided = 0;
  for (const [kind, what, all] of lists) {
    const pattern = names[kind];
    // What can't be taken yet is said at its field.
    if (!pattern || patternProblem(kind, pattern)) continue;
    const made = namesBy(pattern, all, says, { files: kind === 'file' || kind === 'map' });
    collided += made.collided;
    all.forEach(({ name }, i) => rows.push({ what, from: name, to: made.names[i] }));
  }
  return { rows, collided };
}
