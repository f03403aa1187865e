import { Button, NativeSelect } from '@mantine/core';
import { EXPRESSION_SETS, expressionSetOf, findExpressions, listMorphNames } from '@dimetra/core';
import { useState } from 'react';
import { DataTable } from '../shared/DataTable.tsx';
import { BringIn, ExportJson } from '../shared/JsonFile.tsx';
import { useDesk } from '../stage/context.ts';
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
