import { weldByPlace } from '../geometry/index.ts';

/** Vertices that triangles name, those at one place once; triangles with a corner that is nowhere are left out. */
export function namedVertices(
  positions: Float32Array,
  indices: Uint32Array,
): { positions: Float32Array; indices: Uint32Array } {
  const { pointOf } = weldByPlace(positions),
    number = new Map<number, number>(),
    out: number[] = [],
    corners: number[] = [],
    isSomewhere = (v: number) => Number.isFinite(positions[v * 3] + positions[v * 3 + 1] + positions[v * 3 + 2]);
  const numberOf = (v: number): number => {
    const p = pointOf[v];
    let n = number.get(p);
    if (n === undefined) {
      n = number.size;
      number.set(p, n);
      out.push(positions[v * 3], positions[v * 3 + 1], positions[v * 3 + 2]);
    }
    return n;
  };
  for (let t = 0; t + 2 < indices.length; t += 3) {
    const [a, b, c] = [indices[t], indices[t + 1], indices[t + 2]];
    if (isSomewhere(a) && isSomewhere(b) && isSomewhere(c)) corners.push(numberOf(a), numberOf(b), numberOf(c));
  }
  return { positions: Float32Array.from(out), indices: Uint32Array.from(corners) };
}
