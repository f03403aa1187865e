import { type CharacterRow, isActive, type TargetRow } from '@dimetra/contract';

/** One character for one target. */
export interface Cell {
  character: CharacterRow;
  target: TargetRow;
  /** What became of it; null where nobody has asked for it. */
  entry: CharacterRow['conversions'][number] | null;
}

export const cellsOf = (characters: readonly CharacterRow[], targets: readonly TargetRow[]): Cell[] =>
  characters.flatMap((character) =>
    targets.map((target) => ({
      character,
      target,
      entry: character.conversions.find(({ targetId }) => targetId === target.id) ?? null,
    })),
  );

export const keyOf = ({ character, target }: Pick<Cell, 'character' | 'target'>): string =>
  `${character.id} ${target.id}`;

export const isAtWork = ({ entry }: Cell): boolean => Boolean(entry?.state && isActive({ state: entry.state }));

/** Not delivered, and nobody is at work on it. */
export const wantsRun = (cell: Cell): boolean =>
  !isAtWork(cell) && !(cell.entry?.state === 'done' && cell.entry.verdict && cell.entry.verdict.state !== 'blocks');

export function summaryOf(cells: readonly Cell[]): string {
  const count = (is: (cell: Cell) => boolean) => cells.filter(is).length,
    delivered = count(({ entry }) => entry?.state === 'done' && entry.verdict?.state !== 'blocks'),
    parts = [
      [count(isAtWork), 'at work'],
      [count(({ entry }) => entry?.state === 'done' && entry.verdict?.state === 'blocks'), 'blocked'],
      [count(({ entry }) => entry?.state === 'failed'), 'failed'],
    ]
      .filter(([n]) => n)
      .map(([n, what]) => `${n} ${what}`);
  return `${delivered} of ${cells.length} deliverable${parts.length ? `, ${parts.join(', ')}` : ''}.`;
}

/** How bad an outcome is, for a list with the worst first: failed, blocked by how much, noted, near a limit. */
export function badness({ entry }: Cell): number {
  const share = entry?.worst?.share ?? 0;
  if (entry?.state === 'failed') return 1e9;
  if (entry?.verdict?.state === 'blocks') return 1e6 + Math.min(share, 1e5);
  if (entry?.verdict?.state === 'noted') return 1e3 + Math.min(share, 900);
  return Math.min(share, 900);
}
