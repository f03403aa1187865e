import { describe, expect, it } from 'vitest';
import { meshOf } from '../wrap/index.ts';
import { mapsOfPoints } from './own-morphs.ts';

/** Half a cylinder, so that points have neighbours in two directions and a normal. */
function shell(): { positions: Float32Array; indices: Uint32Array } {
  const positions: number[] = [],
    indices: number[] = [];
  for (let i = 0; i <= 8; i++)
    for (let j = 0; j <= 8; j++) {
      const a = (Math.PI * i) / 8;
      positions.push(Math.cos(a), j / 4, Math.sin(a));
    }
  for (let i = 0; i < 8; i++)
    for (let j = 0; j < 8; j++) {
      const a = i * 9 + j;
      indices.push(a, a + 1, a + 10, a, a + 10, a + 9);
    }
  return { positions: Float32Array.from(positions), indices: Uint32Array.from(indices) };
}
const mapped = (positions: Float32Array, rows: number[][]) =>
  Float32Array.from(positions, (_, i) => rows[i % 3].reduce((sum, x, k) => sum + x * positions[i - (i % 3) + k], 0.1));

describe('the maps of points', () => {
  const { positions, indices } = shell(),
    mesh = meshOf(positions, indices);
  it('are the turn that all of it was turned by, and the size it was made larger by', () => {
    const [c, s] = [Math.cos(0.7) * 1.3, Math.sin(0.7) * 1.3],
      rows = [
        [c, -s, 0],
        [s, c, 0],
        [0, 0, 1.3],
      ],
      out = mapsOfPoints(mesh, mapped(mesh.places, rows));
    for (let p = 0; p < mesh.points; p++)
      for (let k = 0; k < 9; k++) expect(out[p * 9 + k]).toBeCloseTo(rows[Math.floor(k / 3)][k % 3], 4);
  });
  it('take edges to where they lie, whatever is stretched', () => {
    const rows = [
        [1.4, 0, 0],
        [0.2, 0.8, 0],
        [0, 0.1, 1],
      ],
      places = mapped(mesh.places, rows),
      out = mapsOfPoints(mesh, places);
    let off = 0,
      all = 0;
    for (let p = 0; p < mesh.points; p++)
      for (let k = mesh.start[p]; k < mesh.start[p + 1]; k++) {
        const q = mesh.neighbour[k];
        for (let r = 0; r < 3; r++) {
          let x = 0;
          for (let c = 0; c < 3; c++) x += out[p * 9 + r * 3 + c] * (mesh.places[q * 3 + c] - mesh.places[p * 3 + c]);
          off += (x - (places[q * 3 + r] - places[p * 3 + r])) ** 2;
          all += (places[q * 3 + r] - places[p * 3 + r]) ** 2;
        }
      }
    expect(Math.sqrt(off / all)).toBeLessThan(0.06);
  });
  it('are nothing but themselves where nothing moved, and where a point has fallen on all others', () => {
    const same = mapsOfPoints(mesh, mesh.places),
      fallen = meshOf(Float32Array.from([0, 0, 0, 1e-9, 0, 0, 0, 1e-9, 0]), Uint32Array.from([0, 1, 2]));
    for (let p = 0; p < mesh.points; p++)
      for (let k = 0; k < 9; k++) expect(same[p * 9 + k]).toBeCloseTo(k % 4 ? 0 : 1, 6);
    expect([...mapsOfPoints(fallen, fallen.places)].every(Number.isFinite)).toBe(true);
  });
});
