import { lerp, step, type Point } from './curves.ts';
import { SECTIONS } from './sections.ts';
import type { Traits } from './traits.ts';

const COLUMNS = 12;

/** A smooth head through measured sections; u counts columns (0 front, 11 back, negative on the right), v rows. */
export interface BaseSurface {
  rows: number;
  at(u: number, v: number): Point;
  normal(u: number, v: number): Point;
  /** u, v of the point with this x and y near a first guess. */
  find(x: number, y: number, u: number, v: number): [number, number];
}

function table(): Point[][] {
  const rows = SECTIONS.map((row) => row.map((q) => [...q] as Point));
  const crown = rows[18];
  for (const [radius, y] of [
    [20, 226.3],
    [0.01, 228.2],
  ])
    rows.push(crown.map((q) => [(q[0] * radius) / 40, y, -5 + ((q[2] + 5) * radius) / 45]));
  return rows;
}

/** The person's width of face, skull, jaw and neck, applied to the sections themselves. */
function warp(p: Traits, i: number, j: number, [x, y, z]: Point): Point {
  x *= lerp(1, p.faceW, step(-20, 40, z) * step(-20, 20, y) * (1 - step(120, 200, y) * 0.5));
  if (y < 60 && y > -9 && z > -25) x *= 1 + (p.jaw - 1) * (1 - step(30, 60, y)) * step(-12, 5, y);
  if (y < 45 && y > -20 && z > 20 && p.chinY) y += p.chinY * (1 - step(15, 45, y)) * step(20, 60, z);
  if (i < 5) {
    const k = 1 + (p.neckW - 1) * (i < 3 ? 1 : i === 3 ? 0.75 : 0.4);
    x *= k;
    z = -20 + (z + 20) * lerp(1, k, 0.7);
  }
  if (j > 6) x *= 1 + (p.neckW - 1) * [0, 0, 0, 0.05, 0.25, 0.5, 0.42, 0.28, 0.12, 0][Math.min(9, i)];
  else if (j > 4 && i > 4 && i < 9) x *= 1 + (p.neckW - 1) * 0.25;
  if (j > 8 && i < 9) z -= (p.neckW - 1) * 14;
  if (i < 4 && j > 3) x *= 0.95;
  return [x * p.headW, y, z];
}

function basis(out: number[], t: number): void {
  const s = 1 - t,
    tt = t * t,
    ttt = tt * t;
  out[0] = (s * s * s) / 6;
  out[1] = (3 * ttt - 6 * tt + 4) / 6;
  out[2] = (-3 * ttt + 3 * tt + 3 * t + 1) / 6;
  out[3] = ttt / 6;
}

/** Uniform bicubic B-spline, corrected twice so that it passes near the measured points it is drawn from. */
export function baseSurface(p: Traits): BaseSurface {
  const measured = table().map((row, i) => row.map((q, j) => warp(p, i, j, q)));
  const rows = measured.length;
  // Rows and columns beyond the edges are mirrored into the net once, so that evaluation only reads.
  const wide = COLUMNS + 3;
  const pad = (net: Point[][]): Float64Array => {
    const out = new Float64Array((rows + 3) * wide * 3);
    for (let i = -1; i <= rows + 1; i++)
      for (let j = -1; j <= COLUMNS + 1; j++) {
        const row = net[Math.max(0, Math.min(rows - 1, i))];
        const mirrored = j < 0 ? -j : j > COLUMNS - 1 ? 2 * (COLUMNS - 1) - j : j;
        const q = row[mirrored],
          o = ((i + 1) * wide + j + 1) * 3;
        out[o] = mirrored === j ? q[0] : -q[0];
        out[o + 1] = q[1];
        out[o + 2] = q[2];
      }
    return out;
  };
  const bu = [0, 0, 0, 0],
    bv = [0, 0, 0, 0];
  const evaluate = (net: Float64Array, u: number, v: number): Point => {
    const sign = u < 0 ? -1 : 1;
    const au = Math.abs(u),
      cv = Math.max(0, Math.min(rows - 1, v));
    const j = Math.min(COLUMNS - 2, Math.floor(au)),
      i = Math.min(rows - 2, Math.floor(cv));
    basis(bu, au - j);
    basis(bv, cv - i);
    let x = 0,
      y = 0,
      z = 0;
    for (let a = 0; a < 4; a++)
      for (let b = 0; b < 4; b++) {
        const o = ((i + a) * wide + j + b) * 3,
          w = bv[a] * bu[b];
        x += net[o] * w;
        y += net[o + 1] * w;
        z += net[o + 2] * w;
      }
    return [sign * x, y, z];
  };
  let net = measured.map((row) => row.map((q) => [...q] as Point));
  for (let pass = 0; pass < 2; pass++) {
    const padded = pad(net);
    const now = net.map((row, i) => row.map((_, j) => evaluate(padded, j, i)));
    net = net.map((row, i) =>
      row.map((q, j) => q.map((c, k) => c + (measured[i][j][k] - now[i][j][k]) * 0.8) as Point),
    );
  }
  const final = pad(net);
  const at = (u: number, v: number) => evaluate(final, u, v);
  const eps = 0.02;
  return {
    rows,
    at,
    normal(u, v) {
      const a = at(u - eps, v),
        b = at(u + eps, v),
        c = at(u, Math.max(0, v - eps)),
        d = at(u, Math.min(rows - 1, v + eps));
      const ux = b[0] - a[0],
        uy = b[1] - a[1],
        uz = b[2] - a[2],
        vx = d[0] - c[0],
        vy = d[1] - c[1],
        vz = d[2] - c[2];
      const n: Point = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
      const length = Math.hypot(...n) || 1;
      return [n[0] / length, n[1] / length, n[2] / length];
    },
    find(x, y, u, v) {
      for (let k = 0; k < 12; k++) {
        const a = at(u, v),
          fx = a[0] - x,
          fy = a[1] - y;
        if (Math.abs(fx) + Math.abs(fy) < 0.005) break;
        const b = at(u + eps, v),
          c = at(u, v + eps);
        const a11 = (b[0] - a[0]) / eps,
          a12 = (c[0] - a[0]) / eps,
          a21 = (b[1] - a[1]) / eps,
          a22 = (c[1] - a[1]) / eps;
        const det = a11 * a22 - a12 * a21;
        u -= (a22 * fx - a12 * fy) / det;
        v -= (-a21 * fx + a11 * fy) / det;
      }
      return [u, v];
    },
  };
}
