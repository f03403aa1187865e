import {
  type ColumnDef,
  getCoreRowModel,
  getSortedRowModel,
  type SortingState,
  useReactTable,
} from '@tanstack/react-table';
import { type KeyboardEvent, type ReactNode, useMemo, useState } from 'react';

export interface Column<Row> {
  id: string;
  head: ReactNode;
  /** Said when the pointer rests on the head. */
  title?: string;
  /** What rows are put in order by; a column without it can't be asked to. */
  by?: (row: Row) => string | number;
  cell: (row: Row) => ReactNode;
  /** Of head and cells. */
  className?: string;
  /** Of the head alone. */
  headClass?: string;
  /** Of cells alone. */
  cellClass?: string;
  /** Said when the pointer rests on a cell. */
  hint?: (row: Row) => string | undefined;
}

interface DataTableProps<Row> {
  label: string;
  rows: readonly Row[];
  columns: readonly Column<Row>[];
  keyOf: (row: Row) => string;
  /** Column that puts rows in order at first, and whether its largest come first. */
  order?: { by: string; desc?: boolean };
  /** Rows can be chosen: which one is, and what choosing does. */
  picked?: string | null;
  onPick?: (row: Row) => void;
  /** More attributes of a row. */
  attributes?: (row: Row) => Readonly<Record<string, string>>;
}

/**
 * A table whose heads sort and whose rows, where they can be chosen, are come to by Tab and gone through by arrows,
 * Home and End. Arrows inside a field of a row are the field's.
 */
export function DataTable<Row>({
  label,
  rows,
  columns,
  keyOf,
  order,
  picked,
  onPick,
  attributes,
}: DataTableProps<Row>) {
  const [sorting, setSorting] = useState<SortingState>(order ? [{ id: order.by, desc: order.desc ?? false }] : []);
  const definitions = useMemo(
    () =>
      columns.map(
        ({ id, by }): ColumnDef<Row, string | number> => ({
          id,
          accessorFn: (row) => by?.(row) ?? '',
          enableSorting: by !== undefined,
          sortingFn: (a, b) => compare(a.getValue(id), b.getValue(id)),
        }),
      ),
    [columns],
  );
  const table = useReactTable<Row>({
    data: rows as Row[],
    columns: definitions,
    state: { sorting },
    onSortingChange: setSorting,
    // Rows are made anew whenever something is decided; nothing is to be put back for that.
    autoResetAll: false,
    getRowId: keyOf,
    getCoreRowModel: getCoreRowModel(),
    getSortedRowModel: getSortedRowModel(),
  });
  const shown = table.getRowModel().rows,
    reached = shown.some((row) => row.id === picked) ? picked : shown[0]?.id;
  const go = (event: KeyboardEvent<HTMLTableRowElement>, at: number) => {
    if (event.target !== event.currentTarget || !onPick) return;
    const to = goal(event.key, at, shown.length);
    if (to === null) return;
    event.preventDefault();
    onPick(shown[to].original);
    (event.currentTarget.parentElement?.children[to] as HTMLElement | undefined)?.focus();
  };
  return (
    <table className="list" aria-label={label}>
      <thead>
        <tr>
          {columns.map(({ id, head, className = '', headClass = '', title, by }) => {
            const sorted = by ? table.getColumn(id)?.getIsSorted() : false;
            return (
              <th
                key={id}
                className={`${className} ${headClass}`.trim() || undefined}
                title={title}
                aria-sort={sorted ? (sorted === 'desc' ? 'descending' : 'ascending') : undefined}
              >
                {by ? (
                  <button type="button" onClick={table.getColumn(id)?.getToggleSortingHandler()}>
                    {head}
                    {sorted ? (sorted === 'desc' ? ' ↓' : ' ↑') : ''}
                  </button>
                ) : (
                  head
                )}
              </th>
            );
          })}
        </tr>
      </thead>
      <tbody>
        {shown.map((row, at) => (
          <tr
            key={row.id}
            {...attributes?.(row.original)}
            {...(onPick
              ? {
                  className: 'pick',
                  tabIndex: row.id === reached ? 0 : -1,
                  'aria-selected': row.id === picked,
                  onClick: () => onPick(row.original),
                  onKeyDown: (event: KeyboardEvent<HTMLTableRowElement>) => go(event, at),
                }
              : {})}
          >
            {columns.map(({ id, className = '', cellClass = '', cell, hint }) => (
              <td key={id} className={`${className} ${cellClass}`.trim() || undefined} title={hint?.(row.original)}>
                {cell(row.original)}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function compare(a: string | number, b: string | number): number {
  return typeof a === 'number' && typeof b === 'number'
    ? a - b
    : String(a).localeCompare(String(b), 'en', { numeric: true });
}

/** Where a key goes from a row; null where it goes nowhere. Enter and Space choose the row itself. */
function goal(key: string, at: number, rows: number): number | null {
  switch (key) {
    case 'ArrowDown':
      return Math.min(rows - 1, at + 1);
    case 'ArrowUp':
      return Math.max(0, at - 1);
    case 'Home':
      return 0;
    case 'End':
      return rows - 1;
    case 'Enter':
    case ' ':
      return at;
    default:
      return null;
  }
}
