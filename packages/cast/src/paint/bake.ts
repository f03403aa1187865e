import { len } from '../head/curves.ts';
import type { Surface } from '../surface.ts';

export interface Picture {
  width: number;
  height: number;
  /** Channels per pixel. */
  channels: 3 | 4;
  data: Uint8Array;
}

/** What is painted at one texel. */
export interface Texel {
  /** Place on the surface, metres. */
  x: number;
  y: number;
  z: number;
  /** Place in the texture, 0 … 1. */
  u: number;
  v: number;
  /** Interpolated extra values of the surface's vertices. */
  extra: number[];
}

/** How far beyond its faces a texel still gets a colour of its own, in texels: what filtering mixes in at a seam. */
const MARGIN = 1.5;

/**
 * Paints a texture by drawing every triangle at its place in the texture and asking `paint` for each texel, then for
 * those just outside, as if they lay on the nearest edge, then growing the painted area by `pad` texels so that
 * filtering finds no empty neighbours.
 * @param paint returns 0 … 1 per channel
 */
export function bake(
  surfaces: readonly { surface: Surface; extra?: Float32Array[] }[],
  size: number,
  channels: 3 | 4,
  paint: (t: Texel) => readonly number[],
  pad = 8,
): Picture {
  const data = new Uint8Array(size * size * channels);
  const filled = new Uint8Array(size * size),
    nearest = new Float32Array(size * size).fill(MARGIN);
  const t: Texel = { x: 0, y: 0, z: 0, u: 0, v: 0, extra: [] };
  for (const beyond of [false, true])
    for (const { surface, extra = [] } of surfaces) {
      const { uv, indices, positions } = surface,
        reach = beyond ? MARGIN : 0;
      for (let i = 0; i < indices.length; i += 3) {
        const [a, b, c] = [indices[i], indices[i + 1], indices[i + 2]];
        const ax = uv[a * 2] * size,
          ay = uv[a * 2 + 1] * size,
          bx = uv[b * 2] * size,
          by = uv[b * 2 + 1] * size,
          cx = uv[c * 2] * size,
          cy = uv[c * 2 + 1] * size;
        const area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay);
        if (Math.abs(area) < 1e-9) continue;
        const y0 = Math.max(0, Math.floor(Math.min(ay, by, cy) - 0.5 - reach)),
          y1 = Math.min(size - 1, Math.ceil(Math.max(ay, by, cy) - 0.5 + reach));
        const x0 = Math.max(0, Math.floor(Math.min(ax, bx, cx) - 0.5 - reach)),
          x1 = Math.min(size - 1, Math.ceil(Math.max(ax, bx, cx) - 0.5 + reach));
        for (let py = y0; py <= y1; py++)
          for (let px = x0; px <= x1; px++) {
            const texel = py * size + px,
              qx = px + 0.5,
              qy = py + 0.5;
            if (beyond && filled[texel]) continue;
            let wb = ((qx - ax) * (cy - ay) - (cx - ax) * (qy - ay)) / area,
              wc = ((bx - ax) * (qy - ay) - (qx - ax) * (by - ay)) / area,
              wa = 1 - wb - wc;
            if (wa < -1e-4 || wb < -1e-4 || wc < -1e-4) {
              if (!beyond) continue;
              const sum = Math.max(0, wa) + Math.max(0, wb) + Math.max(0, wc);
              wa = Math.max(0, wa) / sum;
              wb = Math.max(0, wb) / sum;
              wc = Math.max(0, wc) / sum;
              const off = len(ax * wa + bx * wb + cx * wc - qx, ay * wa + by * wb + cy * wc - qy);
              if (off >= nearest[texel]) continue;
              nearest[texel] = off;
            } else filled[texel] = 1;
            t.x = positions[a * 3] * wa + positions[b * 3] * wb + positions[c * 3] * wc;
            t.y = positions[a * 3 + 1] * wa + positions[b * 3 + 1] * wb + positions[c * 3 + 1] * wc;
            t.z = positions[a * 3 + 2] * wa + positions[b * 3 + 2] * wb + positions[c * 3 + 2] * wc;
            t.u = qx / size;
            t.v = qy / size;
            for (let e = 0; e < extra.length; e++) t.extra[e] = extra[e][a] * wa + extra[e][b] * wb + extra[e][c] * wc;
            write(data, texel * channels, paint(t));
          }
      }
    }
  nearest.forEach((off, texel) => {
    if (off < MARGIN) filled[texel] = 1;
  });
  grow(data, filled, size, channels, pad);
  return { width: size, height: size, channels, data };
}

function write(data: Uint8Array, at: number, value: readonly number[]): void {
  for (let k = 0; k < value.length; k++) data[at + k] = Math.round(Math.max(0, Math.min(1, value[k])) * 255);
}

function grow(data: Uint8Array, filled: Uint8Array, size: number, channels: number, rounds: number): void {
  for (let round = 0; round < rounds; round++) {
    const add: number[] = [];
    for (let y = 0; y < size; y++)
      for (let x = 0; x < size; x++) {
        const i = y * size + x;
        if (filled[i]) continue;
        const from =
          x > 0 && filled[i - 1]
            ? i - 1
            : x < size - 1 && filled[i + 1]
              ? i + 1
              : y > 0 && filled[i - size]
                ? i - size
                : y < size - 1 && filled[i + size]
                  ? i + size
                  : -1;
        if (from >= 0) {
          for (let k = 0; k < channels; k++) data[i * channels + k] = data[from * channels + k];
          add.push(i);
        }
      }
    for (const i of add) filled[i] = 1;
  }
}

/** Paints a picture texel by texel without a surface. */
export function paintFlat(size: number, channels: 3 | 4, paint: (u: number, v: number) => readonly number[]): Picture {
  const data = new Uint8Array(size * size * channels);
  for (let y = 0; y < size; y++)
    for (let x = 0; x < size; x++) write(data, (y * size + x) * channels, paint((x + 0.5) / size, (y + 0.5) / size));
  return { width: size, height: size, channels, data };
}

/** Tangent-space normals (green up) of a height field in texels. */
export function normalsFromHeight(size: number, height: (u: number, v: number) => number, strength: number): Picture {
  const field = new Float32Array(size * size);
  for (let y = 0; y < size; y++)
    for (let x = 0; x < size; x++) field[y * size + x] = height((x + 0.5) / size, (y + 0.5) / size);
  const at = (x: number, y: number) => field[((y + size) % size) * size + ((x + size) % size)];
  const data = new Uint8Array(size * size * 3);
  for (let y = 0; y < size; y++)
    for (let x = 0; x < size; x++) {
      const nx = (at(x - 1, y) - at(x + 1, y)) * strength,
        ny = (at(x, y + 1) - at(x, y - 1)) * strength;
      const length = len(nx, ny, 1);
      write(data, (y * size + x) * 3, [nx / length / 2 + 0.5, ny / length / 2 + 0.5, 1 / length / 2 + 0.5]);
    }
  return { width: size, height: size, channels: 3, data };
}
