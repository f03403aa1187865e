import { floatsOf, trianglesOf } from '../../character/index.ts';
import { bleedOutward, encodedByte, LINEAR, type Pixels } from '../../pixels/index.ts';
import type { Sheet } from '../standing.ts';

/** Shares are drawn this large at most: they are smooth. */
const SHARES = 512;

/** Shares of one figure over texture space, 0 … 255, carried outward from the islands. */
export function drawnShares(sheets: readonly Sheet[], share: Float32Array): Pixels {
  const size = SHARES,
    data = new Uint8Array(size * size * 4),
    known = new Uint8Array(size * size);
  for (const sheet of sheets) {
    const places = sheet.part.prim.getAttribute('TEXCOORD_0');
    if (places)
      drawTriangles(data, known, size, floatsOf(places), trianglesOf(sheet.part.prim), share.subarray(sheet.first));
  }
  bleedOutward(data, size, size, 4, known, size, 1);
  return { width: size, height: size, data };
}

function drawTriangles(
  data: Uint8Array,
  known: Uint8Array,
  size: number,
  uv: Float32Array,
  indices: Uint32Array,
  share: Float32Array,
): void {
  for (let t = 0; t < indices.length; t += 3) {
    const [a, b, c] = [indices[t], indices[t + 1], indices[t + 2]],
      [ax, ay, bx, by, cx, cy] = [a, b, c].flatMap((v) => [uv[v * 2] * size, uv[v * 2 + 1] * size]),
      det = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax);
    if (!det) continue;
    const y1 = Math.min(size - 1, Math.floor(Math.max(ay, by, cy))),
      x1 = Math.min(size - 1, Math.floor(Math.max(ax, bx, cx)));
    for (let y = Math.max(0, Math.floor(Math.min(ay, by, cy))); y <= y1; y++)
      for (let x = Math.max(0, Math.floor(Math.min(ax, bx, cx))); x <= x1; x++) {
        const px = x + 0.5 - ax,
          py = y + 0.5 - ay,
          v = (px * (cy - ay) - py * (cx - ax)) / det,
          w = ((bx - ax) * py - (by - ay) * px) / det;
        if (v < -1e-6 || w < -1e-6 || v + w > 1 + 1e-6) continue;
        data[(y * size + x) * 4] = Math.round(255 * (share[a] * (1 - v - w) + share[b] * v + share[c] * w));
        known[y * size + x] = 1;
      }
  }
}

/** Colours between a picture's texels, in linear light. */
function sampleInto(out: Float64Array, { width, height, data }: Pixels, u: number, v: number): void {
  const x = u * width - 0.5,
    y = v * height - 0.5,
    left = Math.floor(x),
    top = Math.floor(y),
    [fx, fy] = [x - left, y - top],
    x0 = (left + width) % width,
    x1 = (left + 1) % width,
    y0 = ((top + height) % height) * width,
    y1 = ((top + 1) % height) * width,
    [a, b, c, d] = [(y0 + x0) * 4, (y0 + x1) * 4, (y1 + x0) * 4, (y1 + x1) * 4],
    [wa, wb, wc, wd] = [(1 - fx) * (1 - fy), fx * (1 - fy), (1 - fx) * fy, fx * fy];
  for (let k = 0; k < 3; k++)
    out[k] = wa * LINEAR[data[a + k]] + wb * LINEAR[data[b + k]] + wc * LINEAR[data[c + k]] + wd * LINEAR[data[d + k]];
}

/** @param shareAt share of figure `k` at a place of the picture */
export function mixedPixels(
  base: Pixels,
  pictures: readonly (Pixels | null)[],
  shareAt: (k: number, u: number, v: number) => number,
): Pixels {
  const { width, height } = base,
    data = base.data.slice(),
    light = LINEAR,
    colour = new Float64Array(3),
    sum = new Float64Array(3);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const o = (y * width + x) * 4,
        u = (x + 0.5) / width,
        v = (y + 0.5) / height;
      let left = 1;
      sum.fill(0);
      for (let k = 0; k < pictures.length; k++) {
        const picture = pictures[k],
          w = picture ? Math.min(left, shareAt(k, u, v)) : 0;
        if (!picture || !(w > 0)) continue;
        left -= w;
        sampleInto(colour, picture, u, v);
        for (let c = 0; c < 3; c++) sum[c] += w * colour[c];
      }
      if (left < 1) for (let c = 0; c < 3; c++) data[o + c] = encodedByte(sum[c] + left * light[data[o + c]]);
    }
  return { width, height, data };
}
