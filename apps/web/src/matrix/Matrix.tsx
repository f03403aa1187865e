import { Checkbox } from '@mantine/core';
import type { CharacterRow, TargetRow } from '@dimetra/contract';
import { Link } from 'react-router';
import { outcomeOf } from '../shared/outcome.ts';
import { type Cell, isAtWork, keyOf } from './cells.ts';
import styles from './matrix.module.css';

interface MatrixProps {
  cells: readonly Cell[];
  characters: readonly CharacterRow[];
  targets: readonly TargetRow[];
  chosen: ReadonlySet<string>;
  onChoose(chosen: ReadonlySet<string>): void;
}

/** People by targets. A head chooses its whole row or column; a cell that is at work can't be chosen. */
export function Matrix({ cells, characters, targets, chosen, onChoose }: MatrixProps) {
  const flip = (some: readonly Cell[]) => {
    const keys = some.filter((cell) => !isAtWork(cell)).map(keyOf),
      all = keys.every((key) => chosen.has(key)),
      next = new Set(chosen);
    for (const key of keys)
      if (all) next.delete(key);
      else next.add(key);
    onChoose(next);
  };
  return (
    <div className={styles.scroll}>
      <table className={styles.matrix} aria-label="Cast by targets">
        <thead>
          <tr>
            <td />
            {targets.map((target) => (
              <th key={target.id} scope="col">
                <button
                  type="button"
                  className={styles.head}
                  onClick={() => flip(cells.filter((cell) => cell.target.id === target.id))}
                  title={`Choose everybody for ${target.title}`}
                >
                  {target.title}
                  <span className="quiet num">.{target.package.format}</span>
                </button>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {characters.map((character) => (
            <tr key={character.id}>
              <th scope="row">
                <button
                  type="button"
                  className={styles.head}
                  onClick={() => flip(cells.filter((cell) => cell.character.id === character.id))}
                  title={`Choose ${character.name} for every target`}
                >
                  {character.name}
                </button>
              </th>
              {cells
                .filter((cell) => cell.character.id === character.id)
                .map((cell) => (
                  <td key={cell.target.id} data-cell={`${character.name}/${cell.target.id}`}>
                    <One cell={cell} chosen={chosen.has(keyOf(cell))} onFlip={() => flip([cell])} />
                  </td>
                ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function One({ cell, chosen, onFlip }: { cell: Cell; chosen: boolean; onFlip(): void }) {
  const { character, target, entry } = cell,
    state = outcomeOf(entry),
    blocked = entry?.state === 'failed' || entry?.verdict?.state === 'blocks';
  return (
    <div className={styles.cell}>
      <Checkbox
        size="xs"
        checked={chosen}
        disabled={isAtWork(cell)}
        onChange={onFlip}
        aria-label={`${character.name} for ${target.title}: ${state}`}
      />
      {entry?.state ? (
        <Link
          to={`/c/${character.id}/${target.id}/${entry.state === 'done' ? 'check' : 'intake'}`}
          className={blocked ? styles.blocked : styles.state}
          title={entry.problem ?? undefined}
        >
          {state}
        </Link>
      ) : (
        <span className="quiet">{state}</span>
      )}
      {entry?.state === 'running' && (
        <span className={styles.bar} style={{ inlineSize: `${Math.round((entry.progress ?? 0) * 100)}%` }} />
      )}
    </div>
  );
}
