import TinyQueue from 'tinyqueue';
import type { Mesh } from './mesh.ts';

type Edges = Pick<Mesh, 'points' | 'places' | 'start' | 'neighbour'>;

/**
 * Shortest ways along edges from some points of a mesh (Dijkstra 1959), as far as `reach`: two lips that touch are a long way
 * from each other.
 * @returns metres per point, Infinity beyond reach, and the point that each was come to from (−1 at the beginning)
 */
export function overEdges(
  { points, places, start, neighbour }: Edges,
  from: readonly number[],
  reach: number,
): { far: Float64Array; before: Int32Array } {
  const far = new Float64Array(points).fill(Infinity),
    before = new Int32Array(points).fill(-1),
    queue = new TinyQueue<{ point: number; at: number }>([], (a, b) => a.at - b.at || a.point - b.point);
  for (const point of from) {
    far[point] = 0;
    queue.push({ point, at: 0 });
  }
  for (let next = queue.pop(); next; next = queue.pop()) {
    const { point: i, at } = next;
    if (at > far[i]) continue;
    for (let k = start[i]; k < start[i + 1]; k++) {
      const j = neighbour[k],
        x = places[i * 3] - places[j * 3],
        y = places[i * 3 + 1] - places[j * 3 + 1],
        z = places[i * 3 + 2] - places[j * 3 + 2],
        there = at + Math.sqrt(x * x + y * y + z * z);
      if (there > reach || there >= far[j]) continue;
      far[j] = there;
      before[j] = i;
      queue.push({ point: j, at: there });
    }
  }
  return { far, before };
}

/** Points of the shortest way along edges through some points, in order; null where two of them don't hang together. */
export function pathThrough(mesh: Edges, through: readonly number[]): number[] | null {
  const out = [through[0]];
  for (let i = 1; i < through.length; i++) {
    const { before } = overEdges(mesh, [through[i]], Infinity);
    let at = through[i - 1];
    while (at !== through[i]) {
      at = before[at];
      if (at < 0) return null;
      out.push(at);
    }
  }
  return out;
}
