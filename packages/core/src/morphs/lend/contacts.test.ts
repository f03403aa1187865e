import { describe, expect, it } from 'vitest';
import type { SkinMesh } from '../mix/skin-mesh.ts';
import { contactsOf, keepContacts } from './contacts.ts';

const ACROSS = 20,
  DOWN = 6;
/** Two lids of skin, one above the other, with an opening between them; the upper one's points first. Metres. */
function lids(opening: number) {
  const rest: number[] = [],
    from: number[] = [],
    to: number[] = [];
  for (const side of [1, -1]) {
    const first = rest.length / 3;
    for (let y = 0; y < DOWN; y++)
      for (let x = 0; x < ACROSS; x++) {
        const at = first + y * ACROSS + x;
        rest.push(x * 0.001, side * (opening / 2 + y * 0.001), 0);
        if (x) from.push(at - 1);
        if (x) to.push(at);
        if (y) from.push(at - ACROSS);
        if (y) to.push(at);
      }
  }
  const points = rest.length / 3,
    each = Uint32Array.from({ length: points }, (_, i) => i);
  return {
    rest: Float32Array.from(rest),
    skin: {
      points,
      pointOf: Int32Array.from(each),
      vertexOf: each,
      from: Uint32Array.from(from),
      to: Uint32Array.from(to),
      weight: new Float64Array(from.length).fill(1),
      mass: new Float64Array(points).fill(1),
      order: each,
    } satisfies SkinMesh,
  };
}
/** The upper lid comes down by so much at its edge and less above it, the lower one up by so much. */
function shut({ rest }: { rest: Float32Array }, upper: number, lower: number): Float32Array {
  const out = new Float32Array(rest.length);
  for (let i = 0; i < rest.length / 3; i++) {
    const row = Math.floor(i / ACROSS) % DOWN,
      share = 1 - row / DOWN;
    out[i * 3 + 1] = i < rest.length / 6 ? -upper * share : lower * share;
  }
  return out;
}
const lists = (moved: Float32Array) =>
  [0, 1, 2].map((k) => Float64Array.from({ length: moved.length / 3 }, (_, i) => moved[i * 3 + k]));
const gapAt = (rest: Float32Array, found: Float64Array[], x: number) =>
  rest[x * 3 + 1] + found[1][x] - rest[(DOWN * ACROSS + x) * 3 + 1] - found[1][DOWN * ACROSS + x];

describe('skin that comes to lie on skin', () => {
  const other = lids(0.008),
    closing = shut(other, 0.006, 0.002);
  it('is found where lids close, and not where they stay apart or lay on each other before', () => {
    const found = contactsOf(other.skin, other.rest, closing),
      edge = Array.from({ length: ACROSS }, (_, x) => x);
    expect(found.filter(({ from }) => from < ACROSS).map(({ from, to }) => to - from)).toEqual(
      edge.map(() => DOWN * ACROSS),
    );
    expect(contactsOf(other.skin, other.rest, shut(other, 0.004, 0.001))).toEqual([]);
    const closed = lids(0.0005);
    expect(contactsOf(closed.skin, closed.rest, shut(closed, 0.0003, 0.0002))).toEqual([]);
  });
  it('touches on a larger opening and on one that would close too far, the lid that goes farther giving more', () => {
    for (const opening of [0.01, 0.0075]) {
      const own = lids(opening),
        found = lists(shut(own, 0.006, 0.002)),
        before = found.map((axis) => axis.slice());
      expect(Math.abs(gapAt(own.rest, found, 5))).toBeGreaterThan(4e-4);
      keepContacts(own.skin, own.rest, found, contactsOf(other.skin, other.rest, closing), 1);
      for (let x = 0; x < ACROSS; x++) expect(Math.abs(gapAt(own.rest, found, x))).toBeLessThan(1e-4);
      const [upper, lower] = [5, DOWN * ACROSS + 5].map((i) => Math.abs(found[1][i] - before[1][i]));
      expect(upper / lower).toBeGreaterThan(2.5);
      expect(upper / lower).toBeLessThan(3.5);
      // Rows follow less and less; far ones stay.
      for (let row = 1; row < DOWN; row++)
        expect(Math.abs(found[1][row * ACROSS + 5] - before[1][row * ACROSS + 5])).toBeLessThan(
          Math.abs(found[1][(row - 1) * ACROSS + 5] - before[1][(row - 1) * ACROSS + 5]),
        );
    }
  });
});
