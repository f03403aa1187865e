import { hashOf } from '../geometry/index.ts';

/** Places closer than this are one, metres: rest poses come home to a hundredth of a millimetre. */
const SAME = 5e-5;

/**
 * Which vertex of `a` each vertex of `b` is, by its place at rest within its group; −1 where there is none. Reduction
 * leaves vertices where they were, so that most of a result's are the source's own.
 * @param aGroup group of each vertex of `a`, and of `b`: only like meets like
 */
export function sameVertices(a: Float32Array, b: Float32Array, aGroup: Uint16Array, bGroup: Uint16Array): Int32Array {
  const count = a.length / 3,
    size = 1 << Math.ceil(Math.log2(Math.max(16, count * 2))),
    table = new Int32Array(size).fill(-1),
    next = new Int32Array(count).fill(-1);
  const cell = (x: number) => Math.floor(x / (SAME * 2));
  const slotOf = (x: number, y: number, z: number, group: number) =>
    hashOf(x ^ Math.imul(group, 0x9e3779b1), y, z) & (size - 1);
  for (let v = 0; v < count; v++) {
    const slot = slotOf(cell(a[v * 3]), cell(a[v * 3 + 1]), cell(a[v * 3 + 2]), aGroup[v]);
    next[v] = table[slot];
    table[slot] = v;
  }
  const out = new Int32Array(b.length / 3).fill(-1);
  for (let v = 0; v < out.length; v++) {
    const x = b[v * 3],
      y = b[v * 3 + 1],
      z = b[v * 3 + 2];
    let best = SAME * SAME;
    // A place may lie at the border of its cell: half a cell to either side is looked at too.
    for (const i of around(x))
      for (const j of around(y))
        for (const k of around(z))
          for (let u = table[slotOf(i, j, k, bGroup[v])]; u >= 0; u = next[u]) {
            const d = (a[u * 3] - x) ** 2 + (a[u * 3 + 1] - y) ** 2 + (a[u * 3 + 2] - z) ** 2;
            if (d < best && aGroup[u] === bGroup[v]) {
              best = d;
              out[v] = u;
            }
          }
  }
  return out;
}

function around(x: number): number[] {
  const low = Math.floor((x - SAME) / (SAME * 2)),
    high = Math.floor((x + SAME) / (SAME * 2));
  return low === high ? [low] : [low, high];
}

/** RMS and largest distance of vertices that are the same, millimetres. */
export function vertexDistance(a: Float32Array, b: Float32Array, same: Int32Array): { rmsMm: number; maxMm: number } {
  let sum = 0,
    most = 0,
    n = 0;
  for (let v = 0; v < same.length; v++) {
    const u = same[v] * 3;
    if (u < 0) continue;
    const d = (a[u] - b[v * 3]) ** 2 + (a[u + 1] - b[v * 3 + 1]) ** 2 + (a[u + 2] - b[v * 3 + 2]) ** 2;
    sum += d;
    n++;
    if (d > most) most = d;
  }
  const rounded = (metres: number) => Math.round(metres * 1e7) / 1e4;
  return { rmsMm: rounded(Math.sqrt(sum / (n || 1))), maxMm: rounded(Math.sqrt(most)) };
}
