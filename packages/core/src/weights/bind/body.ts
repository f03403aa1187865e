import { floatsOf, type Part, trianglesOf } from '../../character/index.ts';

/** All parts of a figure as one surface, standing as they do. */
export interface Body {
  /** xyz of every vertex */
  positions: Float32Array;
  indices: Uint32Array;
  /** which vertices are whose */
  ranges: { part: Part; first: number; count: number }[];
}

export function gatherBody(parts: readonly Part[]): Body {
  const total = parts.reduce((sum, part) => sum + part.vertices, 0),
    positions = new Float32Array(total * 3),
    lists: Uint32Array[] = [],
    ranges: Body['ranges'] = [];
  let first = 0;
  for (const part of parts) {
    const position = part.prim.getAttribute('POSITION');
    if (!position) continue;
    positions.set(floatsOf(position), first * 3);
    lists.push(trianglesOf(part.prim).map((corner) => corner + first));
    ranges.push({ part, first, count: part.vertices });
    first += part.vertices;
  }
  const indices = new Uint32Array(lists.reduce((sum, list) => sum + list.length, 0));
  let at = 0;
  for (const list of lists) {
    indices.set(list, at);
    at += list.length;
  }
  return { positions, indices, ranges };
}
