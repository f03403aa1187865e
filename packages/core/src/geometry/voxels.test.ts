import { describe, expect, it } from 'vitest';
import { branchesOf, distancesFrom, UNREACHED } from './voxel-branches.ts';
import { closeGaps, depthsOf, squaredDistances } from './voxel-depth.ts';
import { middleOf, type Voxels } from './voxels.ts';
import { seededRandom } from './random.ts';

/** Voxels of a drawing, rows from the top, one layer deep in a rim of empty ones. */
function drawn(rows: readonly string[]): Voxels & { at: (x: number, y: number) => number } {
  const wide = rows[0].length + 2,
    high = rows.length + 2,
    solid = new Uint8Array(wide * high * 3),
    at = (x: number, y: number) => x + 1 + wide * (high - 2 - y + high);
  rows.forEach((row, y) =>
    [...row].forEach((mark, x) => {
      if (mark !== '.') solid[at(x, y)] = 1;
    }),
  );
  return { origin: [0, 0, 0], size: 0.5, dims: [wide, high, 3], solid, at };
}

describe('distances between voxels', () => {
  it('are exact, as counted one by one', () => {
    const dims: Voxels['dims'] = [7, 6, 5],
      random = seededRandom(3),
      marked = Uint8Array.from({ length: 210 }, () => (random() < 0.06 ? 1 : 0)),
      place = (i: number) => [i % 7, Math.floor(i / 7) % 6, Math.floor(i / 42)],
      found = squaredDistances(marked, dims);
    for (let i = 0; i < 210; i++) {
      let least = Infinity;
      marked.forEach((mark, j) => {
        if (mark)
          least = Math.min(
            least,
            place(i).reduce((sum, x, k) => sum + (x - place(j)[k]) ** 2, 0),
          );
      });
      expect(found[i]).toBe(least);
    }
  });
  it('say how deep a block lies below its surface', () => {
    const block = drawn(['#####', '#####', '#####', '#####', '#####']);
    // One layer thin: nothing is deeper than half a voxel.
    expect(Math.max(...depthsOf(block))).toBe(0.25);
    expect(depthsOf(block)[0]).toBe(0);
  });
  it('close a gap that is narrow enough, and no other', () => {
    const dims: Voxels['dims'] = [15, 15, 15],
      at = (x: number, y: number, z: number) => x + 15 * (y + 15 * z);
    /** A hollow box with a square hole in its floor. */
    const box = (hole: number): Voxels => {
      const solid = new Uint8Array(15 ** 3);
      for (let z = 3; z < 12; z++)
        for (let y = 3; y < 12; y++)
          for (let x = 3; x < 12; x++) {
            const wall = [x, y, z].some((k) => k === 3 || k === 11),
              open = y === 3 && x > 3 && x <= 3 + hole && z > 3 && z <= 3 + hole;
            if (wall && !open) solid[at(x, y, z)] = 1;
          }
      return { origin: [0, 0, 0], size: 1, dims, solid };
    };
    const closed = closeGaps(box(2), 1).solid;
    expect(closed[at(7, 7, 7)]).toBe(1);
    expect([closed[0], closed[at(7, 13, 7)], closed[at(7, 1, 7)]]).toEqual([0, 0, 0]);
    expect(closeGaps(box(4), 1).solid[at(7, 7, 7)]).toBe(0);
    expect(closeGaps(box(4), 2).solid[at(7, 7, 7)]).toBe(1);
  });
});

describe('branches of a solid', () => {
  // A trunk with an arm to each side and two legs, the left arm the longer.
  const person = drawn([
    '.....#.....',
    '.....#.....',
    '###########',
    '.....#.....',
    '.....#.....',
    '....###....',
    '....#.#....',
    '....#.#....',
    '....#.#....',
    '....#.#....',
    '....#......',
  ]);
  it('end where one gets no farther, and part where they meet', () => {
    const from = person.at(5, 0),
      distances = distancesFrom(person, from),
      [farthest, ...others] = branchesOf(person, distances, 15);
    expect(distances[person.at(5, 2)]).toBe(20);
    expect(distances[0]).toBe(UNREACHED);
    expect(farthest.tip).toBe(person.at(4, 10));
    expect(others.map(({ tip }) => tip).sort()).toEqual([person.at(0, 2), person.at(10, 2), person.at(6, 9)].sort());
    for (const { tip, far, saddle, parts, cells, other } of others) {
      expect(distances[tip]).toBe(far);
      expect(distances[saddle]).toBe(parts);
      expect(cells[0]).toBe(tip);
      expect(cells.every((cell) => distances[cell] >= parts)).toBe(true);
      expect(other.some((cell) => cells.includes(cell))).toBe(false);
    }
    expect(branchesOf(person, distances, 1000)).toHaveLength(1);
  });
  it('are told in the same order whatever way they are found', () => {
    const distances = distancesFrom(person, person.at(5, 0));
    expect(branchesOf(person, distances, 15)).toEqual(branchesOf(person, distances, 15));
    expect(middleOf(person, person.at(0, 10))).toEqual([0.75, 0.75, 0.75]);
  });
});
