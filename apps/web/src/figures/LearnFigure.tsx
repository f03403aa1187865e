import { Button, NativeSelect, TextInput } from '@mantine/core';
import type { CharacterRow, FigureRow } from '@dimetra/contract';
import { useState } from 'react';
import { useLearnFigureMutation } from '../api/api.ts';
import styles from './figures.module.css';

interface LearnFigureProps {
  characters: readonly CharacterRow[];
  onLearned(answer: { data?: FigureRow; error?: unknown }): void;
}

/** A figure format from a character that has it. */
export function LearnFigure({ characters, onLearned }: LearnFigureProps) {
  const [learn, { isLoading }] = useLearnFigureMutation();
  const [sample, setSample] = useState('');
  const [title, setTitle] = useState('');
  return (
    <form
      className={`card ${styles.learn}`}
      onSubmit={async (event) => {
        event.preventDefault();
        const character = characters.find((row) => row.id === sample) ?? characters[0];
        if (character)
          onLearned(await learn({ characterId: character.id, title: title.trim() || `${character.name} figure` }));
      }}
    >
      <b>Learn from a sample</b>
      <NativeSelect
        size="xs"
        label="Character"
        value={sample}
        onChange={(event) => setSample(event.target.value)}
        data={characters.map((row) => ({ value: row.id, label: row.name }))}
      />
      <TextInput
        size="xs"
        label="Call it"
        placeholder="Name of the figure format"
        value={title}
        onChange={(event) => setTitle(event.target.value)}
      />
      <Button type="submit" size="compact-sm" loading={isLoading} disabled={!characters.length}>
        Learn
      </Button>
    </form>
  );
}
