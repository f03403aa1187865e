import { TextInput } from '@mantine/core';
import type { CharacterDetail } from '@dimetra/contract';
import {
  fileNameOf,
  folderBy,
  folderProblem,
  HOLDS_MAPS,
  type Folders,
  type Named,
  type Names,
  namesBy,
  patternProblem,
  type Target,
} from '@dimetra/core';
import { useCharacterAtHand } from './at-hand.tsx';
import type { FieldsProps } from './fields.ts';
import { Section } from './Section.tsx';
import styles from './targets.module.css';

type Kind = keyof Names;
const KINDS: { kind: Kind; label: string; placeholder: string }[] = [
  { kind: 'file', label: 'The model is called', placeholder: 'as the character' },
  { kind: 'part', label: 'Parts are called', placeholder: 'as they are' },
  { kind: 'material', label: 'Materials are called', placeholder: 'as they are' },
  { kind: 'map', label: 'Maps are called', placeholder: 'as they are' },
];

const FOLDERS: { of: keyof Folders; label: string; placeholder: string }[] = [
  { of: 'model', label: 'The model lies in', placeholder: 'the package itself' },
  { of: 'maps', label: 'Its maps lie in', placeholder: 'textures' },
];

/** What model, parts, materials and maps are called, and every name that comes of it for a character of the cast. */
export function NameFields({ draft, change }: FieldsProps) {
  const { names = {}, folders = {}, format } = draft.package;
  function put(kind: Kind, text: string) {
    const { [kind]: _, ...rest } = names,
      next = text ? { ...rest, [kind]: text } : rest;
    change({ package: { ...draft.package, names: Object.keys(next).length ? next : undefined } });
  }
  function lay(of: keyof Folders, text: string) {
    const { [of]: _, ...rest } = folders,
      next = text ? { ...rest, [of]: text } : rest;
    change({ package: { ...draft.package, folders: Object.keys(next).length ? next : undefined } });
  }
  return (
    <Section title="Names and folders">
      {FOLDERS.map(({ of, label, placeholder }) => (
        <TextInput
          key={of}
          label={label}
          placeholder={of === 'maps' && HOLDS_MAPS.includes(format) ? 'the model’s file' : placeholder}
          size="sm"
          value={folders[of] ?? ''}
          error={folderProblem(of, folders[of])}
          onChange={(event) => lay(of, event.target.value)}
        />
      ))}
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
        {'{n}'} a number. Folders have / between them; {'{kind}'} is what a map is of. Joints and morphs are named at
        their stations.
      </p>
      {Object.keys({ ...names, ...folders }).length > 0 && <Preview draft={draft} />}
    </Section>
  );
}

/** Names as they would be, of a character as it came. */
function Preview({ draft }: { draft: Target }) {
  const character = useCharacterAtHand();
  if (!character) return <p className={`quiet ${styles.whole}`}>Bring in a character to see the names.</p>;
  const { rows, collided } = namesFor(draft, character.revision.summary, character.name);
  return (
    <div className={styles.whole}>
      <div className={styles.head}>
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

function namesFor(
  { title: target, package: { names = {}, folders = {}, format } }: Target,
  { parts, materials, textures }: Told,
  character: string,
) {
  const says = { character, target },
    lists: [Kind, string, readonly Named[]][] = [
      ['file', 'model', [{ name: character }]],
      ['part', 'part', parts],
      ['material', 'material', materials],
      ['map', 'map', textures.map(({ name }) => ({ name: name.replace(/\.[^.]+$/, '') }))],
    ],
    /** Where those that are files lie. */
    folderOf = (kind: Kind, name: string): string => {
      const of = kind === 'file' ? 'model' : kind === 'map' && !HOLDS_MAPS.includes(format) ? 'maps' : null;
      if (!of || !folders[of] || folderProblem(of, folders[of])) return '';
      return folderBy(folders[of], { ...says, kind: kindOfMap(name, materials) });
    },
    rows: Row[] = [];
  let collided = 0;
  for (const [kind, what, all] of lists) {
    const pattern = names[kind],
      laid = kind === 'file' ? folders.model : kind === 'map' ? folders.maps : undefined;
    // What can't be taken yet is said at its field.
    if ((!pattern && !laid) || patternProblem(kind, pattern)) continue;
    const made = namesBy(pattern ?? (kind === 'file' ? '{character}' : '{name}'), all, says, {
      files: kind === 'file' || kind === 'map',
    });
    collided += made.collided;
    all.forEach(({ name }, i) => {
      const file = kind === 'file' && !pattern ? fileNameOf(name) : made.names[i];
      rows.push({ what, from: name, to: `${folderOf(kind, name)}${file}` });
    });
  }
  return { rows, collided };
}

/** What the first material is that wears a map. */
const kindOfMap = (map: string, materials: Told['materials']): string =>
  materials.find(({ maps }) => Object.values(maps).some(({ file }) => file.replace(/\.[^.]+$/, '') === map))?.kind ??
  'other';
