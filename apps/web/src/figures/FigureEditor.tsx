import { Button, TextInput } from '@mantine/core';
import type { Figure } from '@dimetra/core';
import type { ReactNode } from 'react';
import styles from './figures.module.css';
import type { Draft } from './use-draft.ts';

interface EditorProps {
  figure: Figure;
  draft: Draft;
  saving: boolean;
  onSave(): void;
  children: ReactNode;
}

/** A figure's title and note, and what else of it is edited; nothing is kept until it is saved. */
export function FigureEditor({
  figure,
  draft: { changes, change, undo, leave },
  saving,
  onSave,
  children,
}: EditorProps) {
  return (
    <section aria-label="Edit figure" className={`${styles.list} ${styles.editor}`}>
      <div className={styles.bar}>
        <Button size="compact-sm" loading={saving} disabled={!changes} onClick={onSave}>
          Save
        </Button>
        <Button size="compact-sm" variant="default" disabled={!changes} onClick={undo}>
          Undo
        </Button>
        <Button size="compact-sm" variant="default" onClick={leave}>
          {changes ? 'Leave without saving' : 'Done'}
        </Button>
        <span className="quiet num last">{changes ? `${changes} changes` : ''}</span>
      </div>
      <TextInput
        size="xs"
        label="Title"
        defaultValue={figure.title}
        maxLength={80}
        key={`title ${figure.title}`}
        onBlur={(event) => {
          const title = event.target.value.trim();
          if (title && title !== figure.title) change({ ...figure, title });
        }}
      />
      <TextInput
        size="xs"
        label="Note"
        defaultValue={figure.note}
        maxLength={2000}
        key={`note ${figure.note}`}
        onBlur={(event) => {
          if (event.target.value !== figure.note) change({ ...figure, note: event.target.value });
        }}
      />
      {children}
    </section>
  );
}
