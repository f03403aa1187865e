import { TextInput } from '@mantine/core';
import { morphNamesAfter } from '@dimetra/core';
import { useState } from 'react';
import { useDesk } from '../stage/context.ts';
import { useSettings } from '../store/use-settings.ts';
import styles from './Morphs.module.css';

/** What every morph is to be called, with the first of them as they would be. */
export function NamePattern() {
  const [{ pattern, words }, set] = useSettings('morphs.name'),
    { target, character } = useDesk(),
    names = (character.revision.summary.morphs ?? []).map((row) => row.name),
    asked = target.morphs.names?.pattern ?? '{name}',
    [typed, setTyped] = useState<string | null>(null),
    text = typed ?? pattern ?? asked,
    fits = text.includes('{name}'),
    naming = { ...target.morphs.names, ...(words && { words }), pattern: fits ? text : (pattern ?? asked) },
    called = [...morphNamesAfter(names, naming)].filter(([before, after]) => before !== after);
  return (
    <>
      <TextInput
        size="xs"
        label="Called"
        value={text}
        maxLength={100}
        error={fits ? undefined : 'Put {name} where the own name shall stand.'}
        onChange={(event) => setTyped(event.target.value)}
        onBlur={() => {
          if (fits && text !== (pattern ?? asked)) set('pattern', text === asked ? undefined : text);
          setTyped(null);
        }}
      />
      {called.length > 0 && (
        <p className={`quiet ${styles.none}`}>
          {called
            .slice(0, 3)
            .map(([before, after]) => `${before} → ${after}`)
            .join(', ')}
          {called.length > 3 ? ` and ${called.length - 3} more` : ''}
        </p>
      )}
    </>
  );
}
