import type { Deformer } from '../character/index.ts';
import type { Alike } from './alike.ts';
import { withMark } from './pair.ts';
import type { ParityRow } from './row.ts';
import type { Distance } from './surface-distance.ts';

/** One row a group of parts: what can be seen of it, or all of it where nothing can. */
export function partRows(
  a: Deformer,
  b: Deformer,
  alike: Alike,
  aHidden: Uint8Array,
  bHidden: Uint8Array,
  measure: (inA: Uint32Array, inB: Uint32Array) => Distance,
  row: (name: string, d: Distance) => ParityRow,
): ParityRow[] {
  const inGroup = (groups: Uint16Array, group: number, hidden: Uint8Array) => {
    const all = trianglesIn(groups, group),
      open = withMark(all, hidden, 0);
    return open.length ? open : all;
  };
  const names = new Map<number, string[]>();
  for (const { part, firstTriangle, triangles } of a.ranges)
    if (triangles) {
      const group = alike.source[firstTriangle];
      names.set(group, [...(names.get(group) ?? []), part.name]);
    }
  return [...names].map(([group, own]) =>
    row(
      titleOf(own, b, alike, group),
      measure(inGroup(alike.source, group, aHidden), inGroup(alike.result, group, bHidden)),
    ),
  );
}

/** The part's name; of several that became one, that one's. */
function titleOf(own: readonly string[], b: Deformer, alike: Alike, group: number): string {
  if (own.length === 1) return own[0];
  return (
    b.ranges.find((range) => range.triangles && alike.result[range.firstTriangle] === group)?.part.name ??
    `${own[0]} and ${own.length - 1} more`
  );
}

function trianglesIn(groups: Uint16Array, group: number): Uint32Array {
  const out: number[] = [];
  for (let t = 0; t < groups.length; t++) if (groups[t] === group) out.push(t);
  return Uint32Array.from(out);
}
