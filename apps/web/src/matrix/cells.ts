import type { CharacterRow, TargetRow } from '@dimetra/contract';

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

export const isActive = ({ entry }: Cell): boolean =>
  entry?.state === 'queued' || entry?.state === 'running' || entry?.state === 'cancelling';

/** Not delivered, and nobody is at work on it. */
export const wantsRun = (cell: Cell): boolean =>
  !isActive(cell) && !(cell.entry?.state === 'done' && cell.entry.verdict && cell.entry.verdict.state !== 'blocks');

/** What stands in a cell: a sign and few words. */
export function stateOf(cell: Cell): string {
  const { entry } = cell,
    verdict = entry?.verdict;
  switch (entry?.state) {
    case 'queued':
      return '○ waiting';
    case 'running':
      return `◌ ${Math.round((entry.progress ?? 0) * 100)} %`;
    case 'cancelling':
      return '◌ stopping';
    case 'cancelled':
      return '○ stopped';
    case 'failed':
      return '■ failed';
    case 'done':
      if (!verdict) return '● done';
      if (verdict.state === 'blocks') return `■ ${verdict.blocking} ${verdict.blocking === 1 ? 'blocks' : 'block'}`;
      return verdict.state === 'noted' ? `◐ ${verdict.noted} noted` : '● delivered';
    default:
      return '–';
  }
}

export function summaryOf(cells: readonly Cell[]): string {
  const count = (is: (cell: Cell) => boolean) => cells.filter(is).length,
    delivered = count(({ entry }) => entry?.state === 'done' && entry.verdict?.state !== 'blocks'),
    parts = [
      [count(isActive), 'at work'],
      [count(({ entry }) => entry?.state === 'done' && entry.verdict?.state === 'blocks'), 'blocked'],
      [count(({ entry }) => entry?.state === 'failed'), 'failed'],
    ]
      .filter(([n]) => n)
      .map(([n, what]) => `${n} ${what}`);
  return `${delivered} of ${cells.length} delivered${parts.length ? `, ${parts.join(', ')}` : ''}.`;
}

/** How bad an outcome is, for a list with the worst first: failed, blocked by how much, noted, near a limit. */
export function badness({ entry }: Cell): number {
  const share = entry?.worst?.share ?? 0;
  if (entry?.state === 'failed') return 1e9;
  if (entry?.verdict?.state === 'blocks') return 1e6 + Math.min(share, 1e5);
  if (entry?.verdict?.state === 'noted') return 1e3 + Math.min(share, 900);
  return Math.min(share, 900);
}
