import { Button, MultiSelect } from '@mantine/core';
import { useState } from 'react';
import type { Treatment } from '@dimetra/core';
import { piecesOf } from './treatment-fields.ts';
import styles from './TreatmentCard.module.css';

interface CopyProps {
  from: Treatment;
  /** Treatments of one's own that it can be copied to. */
  others: readonly Treatment[];
  copy(keys: string[], ids: string[]): void;
}

/** Copies channels, or single numbers, of a treatment to others. */
export function CopyPieces({ from, others, copy }: CopyProps) {
  const [keys, setKeys] = useState<string[]>([]),
    [ids, setIds] = useState<string[]>([]),
    pieces = piecesOf(from),
    chosen = keys.filter((key) => pieces.some((piece) => piece.key === key));
  if (!others.length || !pieces.length) return null;
  return (
    <div className={styles.row}>
      <MultiSelect
        size="xs"
        className={styles.grow}
        label="Copy"
        placeholder={chosen.length ? undefined : 'channels or numbers'}
        value={chosen}
        onChange={setKeys}
        data={pieces.map(({ key, label }) => ({ value: key, label }))}
      />
      <MultiSelect
        size="xs"
        className={styles.grow}
        label="to"
        placeholder={ids.length ? undefined : 'treatments of your own'}
        value={ids}
        onChange={setIds}
        data={others.map(({ id, title }) => ({ value: id, label: title }))}
      />
      <Button
        size="compact-sm"
        variant="default"
        disabled={!chosen.length || !ids.length}
        onClick={() => {
          copy(chosen, ids);
          setIds([]);
        }}
      >
        Copy
      </Button>
    </div>
  );
}
