import { describe, expect, it } from 'vitest';
import { type Placeable, whereOn } from './place-on.ts';

/** Two squares side by side that share their texture places, in two tiles; the third has none. */
const square = (x: number) => [x, 0, 0, x + 1, 0, 0, x + 1, 1, 0, x, 1, 0];
const surface: Placeable = {
  positions: Float32Array.from([...square(0), ...square(2), ...square(4)]),
  indices: Uint32Array.from([0, 4, 8].flatMap((o) => [o, o + 1, o + 2, o, o + 2, o + 3])),
  parts: [
    { name: 'left', firstVertex: 0, firstTriangle: 0, triangles: 2, uv: Float32Array.from([0, 0, 1, 0, 1, 1, 0, 1]) },
    { name: 'right', firstVertex: 4, firstTriangle: 2, triangles: 2, uv: Float32Array.from([1, 0, 2, 0, 2, 1, 1, 1]) },
    { name: 'plain', firstVertex: 8, firstTriangle: 4, triangles: 2, uv: null },
  ],
};
const rounded = (found: ReturnType<typeof whereOn>) => found?.at.map((x) => Math.round(x * 1e4) / 1e4);

describe('a place on a surface', () => {
  it('is where its texture place is, on the part it names, in any tile', () => {
    expect(rounded(whereOn(surface, { part: 'left', uv: [0.25, 0.5], at: [9, 9, 9] }))).toEqual([0.25, 0.5, 0]);
    expect(rounded(whereOn(surface, { part: 'right', uv: [0.25, 0.5], at: [0, 0, 0] }))).toEqual([2.25, 0.5, 0]);
    expect(rounded(whereOn(surface, { part: 'left', uv: [1.25, 0.5], at: [0, 0, 0] }))).toEqual([0.25, 0.5, 0]);
  });
  it('is the nearest of several where its part is called otherwise', () => {
    expect(rounded(whereOn(surface, { part: 'gone', uv: [0.75, 0.25], at: [2.7, 0, 0] }))).toEqual([2.75, 0.25, 0]);
    expect(rounded(whereOn(surface, { part: 'gone', uv: [0.75, 0.25], at: [0.9, 0, 0] }))).toEqual([0.75, 0.25, 0]);
  });
  it('is the nearest place where there are no texture places, and nowhere where nothing is near', () => {
    const found = whereOn(surface, { part: 'plain', at: [4.4, 0.6, 0.05] });
    expect(rounded(found)).toEqual([4.4, 0.6, 0]);
    expect(found?.shares.reduce((sum, one) => sum + one, 0)).toBeCloseTo(1, 9);
    expect(whereOn(surface, { part: 'plain', at: [4.4, 0.6, 0.5] })).toBeNull();
    expect(whereOn({ ...surface, parts: [] }, { part: 'left', uv: [0.5, 0.5], at: [50, 0, 0] })).toBeNull();
  });
});
