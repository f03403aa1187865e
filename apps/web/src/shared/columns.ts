import type { Column } from './DataTable.tsx';
import { count } from './format.ts';

/** A column of words, cut where there is no room; the whole is said when the pointer rests on it. */
export const words = <Row>(id: string, head: string, of: (row: Row) => string): Column<Row> => ({
  id,
  head,
  by: of,
  cellClass: 'clip',
  hint: of,
  cell: of,
});

/** A column of numbers, a dash where there is none. */
export function numbers<Row>(
  id: string,
  head: string,
  of: (row: Row) => number | null | undefined,
  more: { show?: (value: number) => string; headClass?: string } = {},
): Column<Row> {
  const { show = count, headClass } = more;
  return {
    id,
    head,
    className: 'n',
    headClass,
    cellClass: 'num',
    by: (row) => of(row) ?? Number.NEGATIVE_INFINITY,
    cell: (row) => {
      const value = of(row);
      return value === null || value === undefined ? '–' : show(value);
    },
  };
}
