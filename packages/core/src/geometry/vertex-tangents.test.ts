import { createRequire } from 'node:module';
import { describe, expect, it } from 'vitest';
import { vertexTangents } from './vertex-tangents.ts';

const { generateTangents } = createRequire(import.meta.url)('mikktspace') as {
  generateTangents(positions: Float32Array, normals: Float32Array, uv: Float32Array): Float32Array;
};

/** A ball with bumps; its right half laid out mirrored where asked, with a seam down the middle. */
function ball(mirrored: boolean) {
  const columns = 24,
    rows = 16,
    positions: number[] = [],
    normals: number[] = [],
    uv: number[] = [],
    indices: number[] = [];
  for (let y = 0; y <= rows; y++)
    for (let x = 0; x <= columns; x++) {
      const a = (x / columns) * 2 * Math.PI,
        b = 0.2 + (y / rows) * (Math.PI - 0.4),
        r = 1 + 0.1 * Math.sin(5 * a) * Math.sin(4 * b),
        d = [Math.sin(b) * Math.cos(a), Math.cos(b), -Math.sin(b) * Math.sin(a)];
      positions.push(...d.map((k) => k * r));
      normals.push(...d);
      uv.push(mirrored ? Math.abs(x / columns - 0.5) * 2 : x / columns, y / rows);
      if (x < columns && y < rows) {
        const o = y * (columns + 1) + x,
          below = o + columns + 1;
        indices.push(o, below, o + 1, o + 1, below, below + 1);
      }
    }
  return {
    positions: Float32Array.from(positions),
    normals: Float32Array.from(normals),
    uv: Float32Array.from(uv),
    indices: Uint32Array.from(indices),
  };
}

describe('tangents of vertices', () => {
  for (const mirrored of [false, true])
    it(`are those of the reference implementation${mirrored ? ', where half of the map is mirrored too' : ''}`, () => {
      const { positions, normals, uv, indices } = ball(mirrored),
        each = (array: Float32Array, size: number) => {
          const out = new Float32Array(indices.length * size);
          indices.forEach((v, i) => out.set(array.subarray(v * size, v * size + size), i * size));
          return out;
        };
      const reference = generateTangents(each(positions, 3), each(normals, 3), each(uv, 2)),
        { plain, mirrored: turned, hand } = vertexTangents(positions, normals, uv, indices);
      let worst = 1,
        hands = 0;
      indices.forEach((v, i) => {
        const own = hand[Math.floor(i / 3)] > 0 ? plain : turned;
        worst = Math.min(
          worst,
          [0, 1, 2].reduce((sum, k) => sum + own[v * 3 + k] * reference[i * 4 + k], 0),
        );
        // The reference counts rows of the map from below.
        if (reference[i * 4 + 3] === -hand[Math.floor(i / 3)]) hands++;
      });
      expect(hands).toBe(indices.length);
      expect(worst).toBeGreaterThan(0.9999);
      expect(new Set(hand)).toEqual(new Set(mirrored ? [1, -1] : [1]));
    });
  it('are none where the map has no area, and unit and square to the normal elsewhere', () => {
    const { positions, normals, indices } = ball(false),
      { plain, hand } = vertexTangents(positions, normals, new Float32Array((positions.length / 3) * 2), indices);
    expect(hand.some(Boolean)).toBe(false);
    expect(plain.some(Boolean)).toBe(false);
    const one = ball(false),
      { plain: found } = vertexTangents(one.positions, one.normals, one.uv, one.indices);
    let off = 0;
    for (let i = 0; i < found.length; i += 3) {
      off = Math.max(off, Math.abs(Math.hypot(found[i], found[i + 1], found[i + 2]) - 1));
      off = Math.max(off, Math.abs([0, 1, 2].reduce((sum, k) => sum + found[i + k] * one.normals[i + k], 0)));
    }
    expect(off).toBeLessThan(1e-5);
  });
});
