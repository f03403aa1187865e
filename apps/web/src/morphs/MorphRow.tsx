import { Checkbox, NumberInput, Slider } from '@mantine/core';
import type { MorphRow as Morph } from '@dimetra/core';
import { memo } from 'react';
import { count, megabytes, millimetres } from '../shared/format.ts';
import { useAppDispatch, useAppSelector } from '../store/store.ts';
import { morphDialled } from '../store/view-slice.ts';
import styles from './Morphs.module.css';

interface MorphRowProps {
  row: Morph;
  off: { rmsMm: number; show(): void } | undefined;
  decided: readonly string[] | undefined;
  chosen: boolean;
  onChoose(names: readonly string[], chosen: boolean): void;
  index: number;
  measure: (row: HTMLTableRowElement | null) => void;
}

/** As far as a weight can be typed; a dial goes from nothing to all. */
const MOST = 3;

/** One morph: its dial, what it is and costs, and what is decided of it. */
export const MorphRow = memo(function MorphRow({ row, off, decided, chosen, onChoose, index, measure }: MorphRowProps) {
  const dispatch = useAppDispatch(),
    weight = useAppSelector((state) => state.view.morphs[row.name] ?? 0),
    dial = (to: number) => dispatch(morphDialled({ name: row.name, weight: to }));
  return (
    <tr ref={measure} data-index={index} aria-rowindex={index + 2} data-morph={row.name}>
      <td className={styles.tick}>
        <Checkbox
          size="xs"
          aria-label={`Choose ${row.name}`}
          checked={chosen}
          onChange={(event) => onChoose([row.name], event.currentTarget.checked)}
        />
      </td>
      <td className={styles.dial}>
        <span
          className={`clip whole ${styles.name}`}
          title={`${count(row.moves)} vertices of ${row.parts.join(', ') || 'nothing'}; ${megabytes(row.bytes)} MB if stored densely`}
        >
          {row.name}
        </span>
        <Slider
          size={3}
          min={0}
          max={1}
          step={0.02}
          value={Math.max(0, Math.min(1, weight))}
          label={null}
          onChange={dial}
          thumbLabel={`Dial ${row.name}`}
          color="var(--ink-2)"
        />
        <span className={`quiet ${styles.about}`}>{aboutOf(row)}</span>
        {decided?.map((words) => (
          <span key={words} className={`chip ${styles.decided}`}>
            {words}
          </span>
        ))}
      </td>
      <td className="n num">
        <NumberInput
          size="xs"
          aria-label={`Weight of ${row.name}`}
          classNames={{ input: `${styles.weight} ${weight ? styles.off : ''}` }}
          hideControls
          min={-MOST}
          max={MOST}
          step={0.1}
          decimalScale={2}
          value={weight}
          onChange={(value) => {
            // While somebody types, a number may be empty or out of range for a moment.
            if (value !== '' && Math.abs(Number(value)) <= MOST) dial(Number(value));
          }}
        />
      </td>
      <td className="n num">{row.maxMm.toFixed(1)}</td>
      <td className="n num">
        {off === undefined ? (
          '–'
        ) : (
          <button type="button" className={styles.jump} onClick={off.show} title="Show where it is worst">
            {millimetres(off.rmsMm)}
          </button>
        )}
      </td>
    </tr>
  );
});

function aboutOf({ kind, group, movesJoints, sameAs, moves, shadesOnly }: Morph): string {
  return [
    kind === 'other' ? '' : kind,
    group === 'nowhere' ? '' : group === 'whole' ? 'whole figure' : group,
    movesJoints.length ? `moves ${movesJoints.length} ${movesJoints.length === 1 ? 'joint' : 'joints'}` : '',
    sameAs ? `same as ${sameAs}` : '',
    moves ? '' : shadesOnly ? 'only shades' : 'moves nothing',
  ]
    .filter(Boolean)
    .join(' · ');
}
