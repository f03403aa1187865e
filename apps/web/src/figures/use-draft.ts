import type { Figure } from '@dimetra/core';
import { useState } from 'react';

/** A figure that is being edited, with the way back; nothing is kept until it is saved. */
export interface Draft {
  figure: Figure | null;
  changes: number;
  begin(figure: Figure): void;
  change(next: Figure): void;
  undo(): void;
  leave(): void;
}

export function useDraft(): Draft {
  const [states, setStates] = useState<readonly Figure[]>([]);
  return {
    figure: states.at(-1) ?? null,
    changes: Math.max(0, states.length - 1),
    begin: (figure) => setStates([figure]),
    change: (next) => setStates((before) => (next === before.at(-1) ? before : [...before, next])),
    undo: () => setStates((before) => (before.length > 1 ? before.slice(0, -1) : before)),
    leave: () => setStates([]),
  };
}
