import { lerp } from './curves.ts';
import { baseSurface } from './surface.ts';
import { AVERAGE } from './traits.ts';

/** A rectangle of grid cells that is cut out and refilled with rings. */
export interface Block {
  kind: 'eye' | 'mouth';
  side: 1 | -1;
  i0: number;
  i1: number;
  j0: number;
  j1: number;
}
export interface HeadLayout {
  columns: number[];
  rows: number[];
  blocks: Block[];
}

/**
 * The head's grid lines and the cut-out blocks, found on the average head and used for everybody, so that all
 * heads share one topology. `coarse` stretches the grid: 1 is 0.6 to 1 mm on the face.
 */
export function headLayout(coarse: number): HeadLayout {
  const base = baseSurface(AVERAGE);
  const half: number[] = [];
  let u = 0;
  while (u < 5.2) {
    half.push(u);
    u += (u < 2.4 ? 0.07 : 0.1) * coarse;
  }
  const behind = Math.ceil((11 - u) / (0.14 * coarse * 1.3));
  for (let i = 0; i <= behind; i++) half.push(lerp(u, 11, i / behind));
  const columns = [
    ...half
      .slice(1, -1)
      .reverse()
      .map((x) => -x),
    ...half,
  ];
  const rows: number[] = [];
  const last = base.rows - 1;
  for (let v = 0; v < last - 0.001; ) {
    rows.push(v);
    v +=
      (v < 4 ? 0.14 : v < 5.6 ? 0.11 : v < 8.9 ? 0.066 : v < 10.4 ? 0.045 : v < 13.2 ? 0.066 : v < 15 ? 0.1 : 0.18) *
      coarse;
  }
  rows.push(last);
  const nearest = (list: number[], value: (x: number) => number, wanted: number) =>
    list.reduce((best, x, i) => (Math.abs(value(x) - wanted) < Math.abs(value(list[best]) - wanted) ? i : best), 0);
  const rowAt = (y: number) => nearest(rows, (v) => base.at(1.5, v)[1], y);
  const columnAt = (x: number, v: number) => nearest(columns, (c) => (Math.abs(c) > 6 ? 999 : base.at(c, v)[0]), x);
  const { eyeX, eyeY } = AVERAGE;
  const eyeRow = rows[rowAt(eyeY)],
    mouthRow = rows[rowAt(47)];
  const j0 = rowAt(eyeY - 11),
    j1 = rowAt(eyeY + 11.5);
  const left = { i0: columnAt(eyeX - 18.6, eyeRow), i1: columnAt(eyeX + 19, eyeRow) };
  const mirror = (i: number) => columns.findIndex((c) => Math.abs(c + columns[i]) < 1e-9);
  return {
    columns,
    rows,
    blocks: [
      { kind: 'eye', side: 1, ...left, j0, j1 },
      { kind: 'eye', side: -1, i0: mirror(left.i1), i1: mirror(left.i0), j0, j1 },
      {
        kind: 'mouth',
        side: 1,
        i0: mirror(columnAt(30.5, mouthRow)),
        i1: columnAt(30.5, mouthRow),
        j0: rowAt(32.5),
        j1: rowAt(60.5),
      },
    ],
  };
}
