import { towards } from './distance.ts';

/** A polygonised surface: quads, counter-clockwise seen from outside. */
export interface Net {
  positions: Float64Array;
  quads: Uint32Array;
}

/**
 * Polygonises the zero surface of a signed distance by naive surface nets (Gibson 1998): one vertex per cell that
 * the surface crosses, at the mean of its edge crossings, then a few steps of relaxation back onto the surface.
 */
export function surfaceNet(
  distance: (x: number, y: number, z: number) => number,
  min: readonly number[],
  max: readonly number[],
  cell: number,
): Net {
  const n = [0, 1, 2].map((k) => Math.ceil((max[k] - min[k]) / cell) + 1);
  const at = (i: number, j: number, k: number) => (k * n[1] + j) * n[0] + i;
  const value = new Float32Array(n[0] * n[1] * n[2]);
  for (let k = 0; k < n[2]; k++)
    for (let j = 0; j < n[1]; j++)
      for (let i = 0; i < n[0]; ) {
        const d = distance(min[0] + i * cell, min[1] + j * cell, min[2] + k * cell);
        value[at(i, j, k)] = d;
        // Far from the surface the distance tells how many cells can't be crossed.
        const skip = Math.min(n[0] - i - 1, Math.floor((Math.abs(d) * 0.5) / cell) - 1);
        for (let s = 1; s <= skip; s++) value[at(i + s, j, k)] = d > 0 ? 1 : -1;
        i += Math.max(1, skip + 1);
      }
  const vertex = new Int32Array(value.length).fill(-1);
  const positions: number[] = [];
  for (let k = 0; k < n[2] - 1; k++)
    for (let j = 0; j < n[1] - 1; j++)
      for (let i = 0; i < n[0] - 1; i++) {
        let crossings = 0,
          x = 0,
          y = 0,
          z = 0;
        for (let axis = 0; axis < 3; axis++)
          for (let e = 0; e < 4; e++) {
            const o = [0, 0, 0];
            o[(axis + 1) % 3] = e & 1;
            o[(axis + 2) % 3] = e >> 1;
            const a = value[at(i + o[0], j + o[1], k + o[2])];
            const far = [...o];
            far[axis] = 1;
            const b = value[at(i + far[0], j + far[1], k + far[2])];
            if (a < 0 === b < 0) continue;
            const t = a / (a - b);
            const p = [o[0], o[1], o[2]];
            p[axis] = t;
            x += p[0];
            y += p[1];
            z += p[2];
            crossings++;
          }
        if (!crossings) continue;
        vertex[at(i, j, k)] = positions.length / 3;
        positions.push(
          min[0] + (i + x / crossings) * cell,
          min[1] + (j + y / crossings) * cell,
          min[2] + (k + z / crossings) * cell,
        );
      }
  const quads: number[] = [];
  for (let k = 1; k < n[2] - 1; k++)
    for (let j = 1; j < n[1] - 1; j++)
      for (let i = 1; i < n[0] - 1; i++) {
        const a = value[at(i, j, k)];
        const faces: [number, number[]][] = [
          [value[at(i + 1, j, k)], [at(i, j - 1, k - 1), at(i, j, k - 1), at(i, j, k), at(i, j - 1, k)]],
          [value[at(i, j + 1, k)], [at(i - 1, j, k - 1), at(i - 1, j, k), at(i, j, k), at(i, j, k - 1)]],
          [value[at(i, j, k + 1)], [at(i - 1, j - 1, k), at(i, j - 1, k), at(i, j, k), at(i - 1, j, k)]],
        ];
        for (const [b, cells] of faces) {
          if (a < 0 === b < 0) continue;
          const q = cells.map((c) => vertex[c]);
          if (q.some((v) => v < 0)) continue;
          quads.push(...(a < 0 ? q : q.reverse()));
        }
      }
  const net: Net = { positions: Float64Array.from(positions), quads: Uint32Array.from(quads) };
  relax(net, distance, cell);
  return net;
}

function relax(net: Net, distance: (x: number, y: number, z: number) => number, cell: number): void {
  const { positions, quads } = net;
  const count = positions.length / 3;
  for (let round = 0; round < 3; round++) {
    const sum = new Float64Array(positions.length),
      degree = new Uint16Array(count);
    for (let q = 0; q < quads.length; q += 4)
      for (let k = 0; k < 4; k++) {
        const a = quads[q + k],
          b = quads[q + ((k + 1) % 4)];
        for (let c = 0; c < 3; c++) {
          sum[a * 3 + c] += positions[b * 3 + c];
          sum[b * 3 + c] += positions[a * 3 + c];
        }
        degree[a]++;
        degree[b]++;
      }
    const e = cell * 0.05;
    for (let v = 0; v < count; v++) {
      const p = [0, 1, 2].map((c) => positions[v * 3 + c] * 0.4 + (sum[v * 3 + c] / (degree[v] || 1)) * 0.6);
      const [dx, dy, dz] = towards(distance, p[0], p[1], p[2], e);
      positions[v * 3] = p[0] + dx;
      positions[v * 3 + 1] = p[1] + dy;
      positions[v * 3 + 2] = p[2] + dz;
    }
  }
}
