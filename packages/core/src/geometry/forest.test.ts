import { describe, expect, it } from 'vitest';
import { seededRandom, TriangleForest } from './index.ts';
import { closestOn } from './on-triangle.ts';

interface Surface {
  positions: Float32Array;
  indices: Uint32Array;
  groups: Uint16Array;
}

/** Triangles of every kind: small, large, needles, points, doubles of each other; in `count` groups, some of them empty. */
function soup(seed: number, triangles: number, count: number, at = 0): Surface {
  const random = seededRandom(seed),
    positions = new Float32Array(triangles * 9);
  for (let t = 0; t < triangles; t++) {
    const centre = [0, 1, 2].map(() => at + random() * 2 - 1),
      size = [0, 1e-6, 0.01, 0.05, 1][t % 5],
      thin = t % 7 === 0 ? 1e-5 : 1;
    for (let corner = 0; corner < 3; corner++)
      for (let k = 0; k < 3; k++)
        positions[t * 9 + corner * 3 + k] = centre[k] + (random() - 0.5) * size * (k === 0 ? thin : 1);
    if (t % 11 === 0 && t) positions.copyWithin(t * 9, (t - 1) * 9, t * 9);
  }
  return {
    positions,
    indices: Uint32Array.from({ length: triangles * 3 }, (_, i) => i),
    groups: Uint16Array.from({ length: triangles }, (_, t) => (t * 7919) % Math.max(1, count - 1)),
  };
}

/** Least squared distance by trying all triangles of a group, or of every group where it holds none. */
function brute({ positions, indices, groups }: Surface, group: number, x: number, y: number, z: number): number {
  const hit = { distanceSquared: Infinity, v: 0, w: 0 },
    any = !groups.includes(group);
  for (let t = 0; t < groups.length; t++)
    if (any || groups[t] === group) closestOn(positions, indices, t * 3, x, y, z, hit);
  return hit.distanceSquared;
}

const pointsAround = (seed: number, n: number, at = 0) => {
  const random = seededRandom(seed);
  return Float64Array.from({ length: n * 3 }, (_, i) => at + (random() * 2 - 1) * (i % 9 < 3 ? 4 : 1.1));
};
const forestOf = ({ positions, indices, groups }: Surface, count: number) =>
  new TriangleForest(positions, indices, groups, count);

/** Squared distances and triangles of points that go round the groups. */
function measured(
  forest: TriangleForest,
  points: Float64Array,
  count: number,
  more: { hints?: Int32Array; known?: Float64Array; enough?: number } = {},
) {
  const n = points.length / 3,
    squared = new Float64Array(n),
    nearest = new Int32Array(n);
  forest.measure({
    points,
    groupAt: (i) => i % count,
    hintAt: (i) => more.hints?.[i] ?? -1,
    ...(more.known ? { knownAt: (i: number) => (more.known as Float64Array)[i] } : {}),
    enough: more.enough,
    take: (i, triangle, d) => {
      nearest[i] = triangle;
      squared[i] = d;
    },
  });
  return { squared, nearest };
}
const bruteAll = (surface: Surface, points: Float64Array, count: number) =>
  Float64Array.from({ length: points.length / 3 }, (_, i) =>
    brute(surface, i % count, points[i * 3], points[i * 3 + 1], points[i * 3 + 2]),
  );

describe('TriangleForest', () => {
  it.each([
    [1, 1, 1],
    [2, 3, 2],
    [3, 4, 1],
    [4, 5, 1],
    [5, 9, 3],
    [6, 300, 1],
    [7, 301, 4],
    [8, 1200, 6],
  ])('finds to the last bit what trying every triangle finds (seed %i, %i triangles, %i groups)', (seed, n, count) => {
    const surface = soup(seed, n, count),
      points = pointsAround(seed + 50, 700),
      { squared, nearest } = measured(forestOf(surface, count), points, count);
    expect(squared).toEqual(bruteAll(surface, points, count));
    for (let i = 0; i < nearest.length; i++) {
      const hit = { distanceSquared: Infinity, v: 0, w: 0 };
      closestOn(
        surface.positions,
        surface.indices,
        nearest[i] * 3,
        points[i * 3],
        points[i * 3 + 1],
        points[i * 3 + 2],
        hit,
      );
      expect(hit.distanceSquared).toBe(squared[i]);
    }
  });
  it.each([100, -3000, 1e6])('does so %d units out too, where single precision is coarse', (at) => {
    const surface = soup(12, 500, 3, at),
      points = pointsAround(13, 400, at);
    expect(measured(forestOf(surface, 3), points, 3).squared).toEqual(bruteAll(surface, points, 3));
  });
  it('is not led astray by hints: right, wrong, of another group', () => {
    const surface = soup(20, 800, 4),
      points = pointsAround(21, 900),
      forest = forestOf(surface, 4),
      random = seededRandom(22),
      wanted = bruteAll(surface, points, 4),
      first = measured(forest, points, 4);
    const anywhere = Int32Array.from({ length: 900 }, () => Math.floor(random() * 800));
    expect(measured(forest, points, 4, { hints: anywhere }).squared).toEqual(wanted);
    expect(measured(forest, points, 4, { hints: first.nearest }).squared).toEqual(wanted);
  });
  it('is content with a hint that lies near enough', () => {
    const surface = soup(30, 200, 1),
      points = surface.positions.slice(0, 3),
      forest = forestOf(surface, 1),
      hints = Int32Array.of(0);
    expect(measured(forest, Float64Array.from(points), 1, { hints, enough: 1e-6 }).nearest[0]).toBe(0);
  });
  it('follows what moves and goes back, and looks only at what moved where the rest is known', () => {
    const count = 5,
      surface = soup(40, 1000, count),
      points = pointsAround(41, 900),
      forest = forestOf(surface, count),
      atRest = measured(forest, points, count),
      random = seededRandom(42);
    for (let round = 0; round < 6; round++) {
      const changed = Uint32Array.from({ length: 1000 }, (_, t) => t).filter(
          () => random() < [0, 0.01, 0.3, 1][round % 4],
        ),
        moved = Float32Array.from(surface.positions),
        marks = new Uint8Array(1000);
      for (const t of changed) {
        marks[t] = 1;
        for (let k = 0; k < 9; k++) moved[t * 9 + k] += (random() - 0.5) * 0.6;
      }
      forest.refitAbove(moved, changed);
      const now = { ...surface, positions: moved },
        wanted = bruteAll(now, points, count),
        known = atRest.squared.map((d, i) => (marks[atRest.nearest[i]] ? NaN : d));
      expect(measured(forest, points, count).squared).toEqual(wanted);
      const posed = measured(forest, points, count, { hints: atRest.nearest, known });
      expect(posed.squared).toEqual(wanted);
      // A second move on top of the first counts from where things lie now.
      if (round % 2) forest.refitAbove(moved, changed);
      forest.restore(surface.positions);
      expect(measured(forest, points, count).squared).toEqual(atRest.squared);
    }
  });
  it('looks at nothing but what moved where it is told that the rest is known', () => {
    const surface = soup(50, 400, 1),
      forest = forestOf(surface, 1),
      points = pointsAround(51, 50);
    // Known to lie at nought, so nothing is nearer; and nothing moved, so nothing is looked at.
    const said = measured(forest, points, 1, {
      hints: new Int32Array(50).fill(3),
      known: new Float64Array(50).fill(9),
    });
    expect([...new Set(said.squared)]).toEqual([9]);
    expect([...new Set(said.nearest)]).toEqual([3]);
  });
  it('gives barycentric weights with single answers', () => {
    const forest = new TriangleForest(
      Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0),
      Uint32Array.of(0, 1, 2),
      new Uint16Array(1),
      1,
    );
    expect(forest.closest(0, 0.25, 0.5, 3)).toBe(3);
    expect(forest.hit).toEqual({ triangle: 0, v: 0.25, w: 0.5, distanceSquared: 9 });
    expect(forest.closest(0, -1, 0, 0)).toBe(1);
    expect([forest.hit.v, forest.hit.w]).toEqual([0, 0]);
  });
  it('has no answer where there is no surface, and is not put off by a corner that is no number', () => {
    const empty = new TriangleForest(new Float32Array(0), new Uint32Array(0), new Uint16Array(0), 2);
    expect([empty.closest(0, 1, 2, 3), empty.hit.triangle, empty.holds(0)]).toEqual([Infinity, -1, false]);
    const surface = soup(60, 300, 1);
    for (const t of [5, 80, 299]) surface.positions[t * 9 + 4] = NaN;
    const points = pointsAround(61, 200),
      forest = forestOf(surface, 1);
    expect(measured(forest, points, 1).squared).toEqual(bruteAll(surface, points, 1));
  });
});
