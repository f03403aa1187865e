import { Slider } from '@mantine/core';
import type { morphCosts } from '@dimetra/core';
import { defaultRangeExtractor, type Range, useVirtualizer } from '@tanstack/react-virtual';
import { memo, useCallback, useLayoutEffect, useRef, useState } from 'react';
import { count, millimetres } from '../shared/format.ts';
import { useAppDispatch, useAppSelector } from '../store/store.ts';
import { morphDialled } from '../store/view-slice.ts';
import styles from './Morphs.module.css';

type MorphCost = ReturnType<typeof morphCosts>[number];
/** Height of a row until it is measured, and rows drawn beyond what is seen, so that Tab finds the next. */
const ROW = 46,
  BEYOND = 8;

/** Hundreds of morphs: only rows that are seen are drawn, and a dial draws its own row again, no other. */
export function MorphTable({ rows, off }: { rows: readonly MorphCost[]; off: ReadonlyMap<string, number> }) {
  const body = useRef<HTMLTableSectionElement>(null),
    [margin, setMargin] = useState(0),
    [focused, setFocused] = useState(-1);
  const scrolled = useCallback(() => body.current?.closest<HTMLElement>('.bench') ?? null, []);
  useLayoutEffect(() => {
    const bench = scrolled();
    if (bench && body.current)
      setMargin(body.current.getBoundingClientRect().top - bench.getBoundingClientRect().top + bench.scrollTop);
  }, [scrolled]);
  // Rows about the one that has the keyboard are there before the page has scrolled to them: Tab never runs out of them.
  const rangeExtractor = useCallback(
    (range: Range) => {
      const shown = defaultRangeExtractor(range);
      if (focused < 0) return shown;
      const first = Math.min(shown[0] ?? focused, Math.max(0, focused - BEYOND)),
        last = Math.max(shown[shown.length - 1] ?? focused, Math.min(range.count - 1, focused + BEYOND));
      return Array.from({ length: last - first + 1 }, (_, i) => first + i);
    },
    [focused],
  );
  const seen = useVirtualizer({
    rangeExtractor,
    count: rows.length,
    getScrollElement: scrolled,
    estimateSize: () => ROW,
    overscan: BEYOND,
    scrollMargin: margin,
    getItemKey: (i) => rows[i].name,
  });
  const items = seen.getVirtualItems(),
    above = items.length ? items[0].start - margin : 0,
    below = items.length ? seen.getTotalSize() - (items[items.length - 1].end - margin) : 0;
  return (
    <table className="list" aria-rowcount={rows.length + 1}>
      <thead>
        <tr>
          <th>Morph</th>
          <th className="n">Moves</th>
          <th className="n">Up to</th>
          <th className="n result">Off by</th>
        </tr>
      </thead>
      <tbody
        ref={body}
        onFocus={(event) => setFocused(Number(event.target.closest('tr')?.dataset.index ?? -1))}
        // Between two rows it stays: the one that is about to have the keyboard must not go.
        onBlur={(event) => {
          if (!event.currentTarget.contains(event.relatedTarget)) setFocused(-1);
        }}
      >
        {above > 0 && <Gap height={above} />}
        {items.map(({ index }) => (
          <MorphRow
            key={rows[index].name}
            row={rows[index]}
            off={off.get(rows[index].name)}
            index={index}
            measure={seen.measureElement}
          />
        ))}
        {below > 0 && <Gap height={below} />}
      </tbody>
    </table>
  );
}

const Gap = ({ height }: { height: number }) => (
  <tr>
    <td colSpan={4} className={styles.gap} style={{ height }} />
  </tr>
);

interface MorphRowProps {
  row: MorphCost;
  /** RMS of the result, millimetres. */
  off: number | undefined;
  index: number;
  measure: (row: HTMLTableRowElement | null) => void;
}

const MorphRow = memo(function MorphRow({ row, off, index, measure }: MorphRowProps) {
  const dispatch = useAppDispatch(),
    weight = useAppSelector((state) => state.view.morphs[row.name] ?? 0);
  return (
    <tr ref={measure} data-index={index} aria-rowindex={index + 2}>
      <td className={styles.dial}>
        <span title={row.parts.join(', ')}>{row.name}</span>
        <Slider
          size={3}
          min={0}
          max={1}
          step={0.02}
          value={weight}
          label={(value) => value.toFixed(2)}
          onChange={(to) => dispatch(morphDialled({ name: row.name, weight: to }))}
          thumbLabel={`Dial ${row.name}`}
          color="var(--ink-2)"
        />
      </td>
      <td className="n num">{count(row.moves)}</td>
      <td className="n num">{row.maxMm.toFixed(1)}</td>
      <td className="n num">{off === undefined ? '–' : millimetres(off)}</td>
    </tr>
  );
});
