import { Button, NativeSelect } from '@mantine/core';
import { notifications } from '@mantine/notifications';
import { EXPRESSION_SETS, type ExpressionSet, expressionSetOf, findExpressions, listMorphNames } from '@dimetra/core';
import { useState } from 'react';
import { useCharactersQuery } from '../api/api.ts';
import { learnSet } from '../figure/ask-figure.ts';
import { DataTable } from '../shared/DataTable.tsx';
import { BringIn, ExportJson } from '../shared/JsonFile.tsx';
import { useDesk } from '../stage/context.ts';
import { ChooseCharacter } from '../step/ChooseCharacter.tsx';
import { Setting } from '../step/Setting.tsx';
import { StepCard } from '../step/StepCard.tsx';
import { useSettings } from '../store/use-settings.ts';
import styles from './Morphs.module.css';
import { PlayExpressions } from './PlayExpressions.tsx';

const NOTHING: Readonly<Record<string, string>> = {};

/** The set of expressions that shall leave, and which morph stands for each. */
export function ExpressionsCard() {
  const { target, figures } = useDesk(),
    [settings, set] = useSettings('morphs.expressions'),
    [looking, setLooking] = useState(false),
    asked = settings.set ?? target.morphs.expressions,
    own = typeof settings.set === 'object' ? settings.set : undefined,
    document = figures.source?.document;
  return (
    <StepCard step="morphs.expressions">
      <div className={styles.mix}>
        <NativeSelect
          size="xs"
          aria-label="Set of expressions"
          value={own ? 'own' : ((settings.set as string | undefined) ?? '')}
          onChange={({ target: { value } }) => set('set', value === 'own' ? own : value || undefined)}
          data={[
            { value: '', label: target.morphs.expressions ? 'What the target asks for' : 'None' },
            ...EXPRESSION_SETS.map(({ id, title }) => ({ value: id, label: title })),
            ...(own ? [{ value: 'own', label: own.title }] : []),
          ]}
        />
        <BringIn what="a set" onBring={(value) => set('set', expressionSetOf(value as object))} />
        {asked && <ExportJson name="expressions.json" value={expressionSetOf(asked)} />}
      </div>
      <LearnSet onLearned={(learned) => set('set', learned)} />
      {asked && (
        <ChooseCharacter
          label="What can't be had is lent by"
          none="nobody"
          value={settings.from}
          onChange={(revision) => set('from', revision)}
        />
      )}
      {asked && <Setting step="morphs.expressions" name="others" />}
      {asked && document && (
        <Button size="compact-xs" variant="default" aria-expanded={looking} onClick={() => setLooking(!looking)}>
          {looking ? 'Hide what is found' : 'Show what is found'}
        </Button>
      )}
      {asked && document && <PlayExpressions set={asked} said={settings.names ?? NOTHING} />}
      {asked && document && looking && (
        <FoundTable set={asked} said={settings.names ?? NOTHING} onSay={(names) => set('names', names)} />
      )}
    </StepCard>
  );
}

/** Takes the set over that a sample character has: its names, what they mean, and which way they move a face. */
function LearnSet({ onLearned }: { onLearned(set: ExpressionSet): void }) {
  const { character } = useDesk(),
    { data: cast = [] } = useCharactersQuery(),
    [learning, setLearning] = useState(false);
  const learn = async (revision: string) => {
    const title = cast.find((row) => row.revisionId === revision)?.name ?? character.name;
    setLearning(true);
    try {
      onLearned(await learnSet(revision, title));
    } catch (error) {
      notifications.show({ color: 'red', message: (error as Error).message });
    }
    setLearning(false);
  };
  return (
    <NativeSelect
      size="xs"
      label="Learn a set from"
      w={170}
      disabled={learning}
      value=""
      onChange={({ target: { value } }) => value && void learn(value)}
      data={[
        { value: '', label: learning ? 'learning …' : 'choose a character' },
        ...cast.map((row) => ({ value: row.revisionId, label: row.name })),
      ]}
    />
  );
}

interface FoundTableProps {
  set: Parameters<typeof expressionSetOf>[0];
  said: Readonly<Record<string, string>>;
  onSay(names: Record<string, string> | undefined): void;
}

/** Which morph stands for each expression, how it was found, and a way to say another. */
function FoundTable({ set, said, onSay }: FoundTableProps) {
  const document = useDesk().figures.source?.document;
  if (!document) return null;
  const { found, missing } = findExpressions(document, expressionSetOf(set), said),
    names = listMorphNames(document),
    rows = [
      ...found.map(({ entry, how, terms }) => ({
        name: entry.name,
        how: how as string,
        from: terms
          .map(
            ({ morph, weight, half }) => `${weight === 1 ? '' : `${weight} × `}${morph}${half ? `, ${half} half` : ''}`,
          )
          .join(' + '),
      })),
      ...missing.map(({ name }) => ({ name, how: 'missing', from: '' })),
    ];
  const say = (name: string, morph: string) => {
    const { [name]: _, ...others } = said,
      next = morph ? { ...others, [name]: morph } : others;
    onSay(Object.keys(next).length ? next : undefined);
  };
  return (
    <DataTable
      label="Expressions and what stands for them"
      rows={rows}
      keyOf={(row) => row.name}
      attributes={(row) => ({ 'data-expression': row.name })}
      columns={[
        { id: 'name', head: 'Expression', by: (row) => row.name, cell: (row) => row.name },
        {
          id: 'how',
          head: 'Found',
          by: (row) => row.how,
          cell: (row) => <span className={row.how === 'missing' ? styles.missing : 'quiet'}>{row.how}</span>,
        },
        {
          id: 'from',
          head: 'From',
          cell: (row) => (
            <NativeSelect
              size="xs"
              aria-label={`Morph for ${row.name}`}
              value={said[row.name] ?? ''}
              onChange={(event) => say(row.name, event.target.value)}
              data={[
                { value: '', label: row.from || 'choose …' },
                ...names.map((name) => ({ value: name, label: name })),
              ]}
            />
          ),
        },
      ]}
    />
  );
}
