import { describe, expect, it } from 'vitest';
import { seededRandom } from '../geometry/index.ts';
import { findLandmarks } from './index.ts';

const found = (positions: readonly number[], indices: readonly number[]) =>
  findLandmarks(Float32Array.from(positions), Uint32Array.from(indices));

/** Triangles anywhere in a box as high as a person. */
function soup(triangles: number, seed: number) {
  const random = seededRandom(seed),
    positions = Array.from({ length: triangles * 9 }, (_, i) => (random() - 0.5) * [0.5, 1.7, 0.3][i % 3]);
  return found(
    positions,
    Array.from({ length: triangles * 3 }, (_, i) => i),
  );
}

describe('what is no body at all', () => {
  it.each([
    ['nothing', [], []],
    ['one place', [1, 1, 1, 1, 1, 1, 1, 1, 1], [0, 1, 2]],
    ['nowhere', [NaN, 0, 0, 1, NaN, 0, 0, 1, NaN], [0, 1, 2]],
    ['endless', [0, 0, 0, Infinity, 1, 0, 0, -Infinity, 1], [0, 1, 2]],
    ['as high as no unit makes it', [0, 0, 0, 1e30, 1e30, 0, 0, 1e30, 1e30], [0, 1, 2]],
    ['as flat as paper', [0, 0, 0, 1, 0, 0, 0, 0, 1], [0, 1, 2]],
    ['a line', [0, 0, 0, 0, 1, 0, 0, 2, 0], [0, 1, 2]],
    ['half a triangle', [0, 0, 0, 0, 1, 0, 0.1, 2, 0], [0, 1]],
  ])('%s is refused with a sentence', (_, positions, indices) => {
    const { refused, landmarks, joints, confidence } = found(positions, indices);
    expect(refused).toMatch(/^[A-Z].+\.$/);
    expect([landmarks, joints, confidence]).toEqual([[], [], 0]);
  });
  it.each([3, 40, 600])('%i triangles anywhere are refused, whatever they look like', (triangles) => {
    const { refused, confidence } = soup(triangles, 1);
    expect(refused).toBeDefined();
    expect(confidence).toBeLessThan(0.35);
  });
  it('is the same twice', () => {
    expect(soup(3, 3)).toEqual(soup(3, 3));
  });
});
