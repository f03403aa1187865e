import { Checkbox } from '@mantine/core';
import type { MorphRow as Morph } from '@dimetra/core';
import { defaultRangeExtractor, type Range, useVirtualizer } from '@tanstack/react-virtual';
import { useCallback, useLayoutEffect, useRef, useState } from 'react';
import styles from './Morphs.module.css';
import { MorphRow } from './MorphRow.tsx';

/** Height of a row until it is measured, and rows drawn beyond what is seen, so that Tab finds the next. */
const ROW = 52,
  BEYOND = 8;

interface MorphTableProps {
  rows: readonly Morph[];
  /** How far the result is off, by name. */
  off: ReadonlyMap<string, { rmsMm: number; show(): void }>;
  decided: ReadonlyMap<string, readonly string[]>;
  chosen: ReadonlySet<string>;
  onChoose(names: readonly string[], chosen: boolean): void;
}

/** Hundreds of morphs: only rows that are seen are drawn, and a dial draws its own row again, no other. */
export function MorphTable({ rows, off, decided, chosen, onChoose }: MorphTableProps) {
  const body = useRef<HTMLTableSectionElement>(null),
    [margin, setMargin] = useState(0),
    [focused, setFocused] = useState(-1);
  const scrolled = useCallback(() => body.current?.closest<HTMLElement>('.bench') ?? null, []);
  // What stands above grows and shrinks (cards that open, actions, findings): where the rows begin is measured again.
  useLayoutEffect(() => {
    const bench = scrolled();
    if (!bench) return;
    const measure = () => {
      if (body.current)
        setMargin(body.current.getBoundingClientRect().top - bench.getBoundingClientRect().top + bench.scrollTop);
    };
    measure();
    const resized = new ResizeObserver(measure),
      changed = new MutationObserver(() => {
        for (const child of bench.children) resized.observe(child);
        measure();
      });
    for (const child of bench.children) resized.observe(child);
    changed.observe(bench, { childList: true });
    return () => {
      resized.disconnect();
      changed.disconnect();
    };
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
    below = items.length ? seen.getTotalSize() - (items[items.length - 1].end - margin) : 0,
    every = rows.every((row) => chosen.has(row.name));
  return (
    <table className="list" aria-label="Morphs" aria-rowcount={rows.length + 1}>
      <thead>
        <tr>
          <th className={styles.tick}>
            <Checkbox
              size="xs"
              aria-label="Choose all that are listed"
              checked={every}
              indeterminate={!every && rows.some((row) => chosen.has(row.name))}
              onChange={() =>
                onChoose(
                  rows.map((row) => row.name),
                  !every,
                )
              }
            />
          </th>
          <th>Morph</th>
          <th className="n">Weight</th>
          <th className="n" title="Largest movement, millimetres">
            Up to
          </th>
          <th className="n result" title="How far the result is off, RMS, millimetres">
            Off by
          </th>
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
            decided={decided.get(rows[index].name)}
            chosen={chosen.has(rows[index].name)}
            onChoose={onChoose}
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
    <td colSpan={5} className={styles.gap} style={{ height }} />
  </tr>
);
