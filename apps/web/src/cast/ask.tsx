import { Button, Modal, TextInput } from '@mantine/core';
import type { CharacterRow } from '@dimetra/contract';
import { useState } from 'react';
import { sentenceOf, useRemoveCharacterMutation, useRenameCharacterMutation } from '../api/api.ts';
import styles from './cast.module.css';

interface AskProps {
  row: CharacterRow;
  onClose(): void;
}

export function AskRemove({ row, onClose }: AskProps) {
  const [remove] = useRemoveCharacterMutation();
  return (
    <Modal opened onClose={onClose} title={`Remove ${row.name}?`}>
      <p>Its source, recipes, runs and packages go with it. This can't be undone.</p>
      <div className={styles.answers}>
        <Button variant="default" onClick={onClose}>
          Keep it
        </Button>
        <Button
          color="red"
          onClick={() => {
            onClose();
            void remove(row.id);
          }}
        >
          Remove {row.name}
        </Button>
      </div>
    </Modal>
  );
}

export function AskName({ row, onClose }: AskProps) {
  const [rename] = useRenameCharacterMutation();
  const [name, setName] = useState(row.name);
  const [problem, setProblem] = useState<string | null>(null);
  return (
    <Modal opened onClose={onClose} title="Rename">
      <form
        onSubmit={async (event) => {
          event.preventDefault();
          const answer = await rename({ id: row.id, name });
          if (answer.error) setProblem(sentenceOf(answer.error));
          else onClose();
        }}
      >
        <TextInput
          label="Name"
          value={name}
          onChange={(event) => setName(event.target.value)}
          error={problem}
          data-autofocus
        />
        <Button type="submit" mt={12}>
          Rename
        </Button>
      </form>
    </Modal>
  );
}
