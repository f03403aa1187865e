import { it } from 'vitest';
import sharp from 'sharp';
import { buildPerson } from './figure.ts';
import { personById, type PersonId } from './people.ts';
import { vertexNormals } from '@dimetra/core';

/** Clay pictures from given angles. */
async function render(parts: { positions: ArrayLike<number>; triangles: ArrayLike<number> }[], out: string, views: { yaw: number; cx: number; cy: number; span: number }[], W = 460, H = 760) {
  const img = Buffer.alloc(W * views.length * H * 3, 58);
  views.forEach((view, k) => {
    const depth = new Float32Array(W * H).fill(-1e9), c = Math.cos(view.yaw), s = Math.sin(view.yaw), scale = H / view.span;
    for (const { positions, triangles } of parts) {
      const n = vertexNormals(positions, triangles), P = new Float32Array(positions.length), N = new Float32Array(positions.length);
      for (let i = 0; i < positions.length; i += 3) {
        P[i] = ((positions[i] * c - positions[i + 2] * s) - view.cx) * scale + W / 2; P[i + 1] = H / 2 - (positions[i + 1] - view.cy) * scale; P[i + 2] = positions[i] * s + positions[i + 2] * c;
        N[i] = n[i] * c - n[i + 2] * s; N[i + 1] = n[i + 1]; N[i + 2] = n[i] * s + n[i + 2] * c;
      }
      for (let t = 0; t < triangles.length; t += 3) {
        const [a, b, d] = [triangles[t] * 3, triangles[t + 1] * 3, triangles[t + 2] * 3];
        const ar = (P[b] - P[a]) * (P[d + 1] - P[a + 1]) - (P[d] - P[a]) * (P[b + 1] - P[a + 1]);
        if (!(Math.abs(ar) > 1e-9)) continue;
        const x0 = Math.max(0, Math.floor(Math.min(P[a], P[b], P[d]))), x1 = Math.min(W - 1, Math.ceil(Math.max(P[a], P[b], P[d]))), y0 = Math.max(0, Math.floor(Math.min(P[a + 1], P[b + 1], P[d + 1]))), y1 = Math.min(H - 1, Math.ceil(Math.max(P[a + 1], P[b + 1], P[d + 1])));
        for (let y = y0; y <= y1; y++) for (let x = x0; x <= x1; x++) {
          const wb = ((x + .5 - P[a]) * (P[d + 1] - P[a + 1]) - (P[d] - P[a]) * (y + .5 - P[a + 1])) / ar, wd = ((P[b] - P[a]) * (y + .5 - P[a + 1]) - (x + .5 - P[a]) * (P[b + 1] - P[a + 1])) / ar, wa = 1 - wb - wd;
          if (wa < 0 || wb < 0 || wd < 0) continue;
          const z = P[a + 2] * wa + P[b + 2] * wb + P[d + 2] * wd;
          if (z <= depth[y * W + x]) continue;
          depth[y * W + x] = z;
          const nx = N[a] * wa + N[b] * wb + N[d] * wd, ny = N[a + 1] * wa + N[b + 1] * wb + N[d + 1] * wd, nz = N[a + 2] * wa + N[b + 2] * wb + N[d + 2] * wd;
          const key = Math.max(0, nx * 0.62 + ny * 0.55 + nz * 0.56), fill = Math.max(0, -nx * 0.7 + nz * 0.5), v = Math.min(255, 38 + 165 * key + 45 * fill + 18 * ny);
          const o = (y * W * views.length + k * W + x) * 3; img[o] = v; img[o + 1] = v * 0.97; img[o + 2] = v * 0.92;
        }
      }
    }
  });
  await sharp(img, { raw: { width: W * views.length, height: H, channels: 3 } }).png().toFile(out);
}
import { EXPRESSIONS } from './expressions.ts';
it('preview', async () => {
  const id = (process.env.WHO ?? 'harbour-pilot') as PersonId, mode = process.env.WHAT ?? 'body';
  if (!process.env.EXPR) (EXPRESSIONS as unknown as unknown[]).length = 0;
  const person = { ...personById(id), ...(mode === 'body' ? { wears: ['hands' as const] } : {}) };
  const figure = buildPerson(person, { coarse: Number(process.env.COARSE ?? 1.4), progress() {} });
  const parts = figure.parts.filter((p) => !/Cornea|Tear|Hair|Lashes|Scalp/.test(p.name)).map((p) => ({ positions: p.surface.positions, triangles: p.surface.indices }));
  const v = process.env.VIEW === 'top' ? [{ yaw: 0, cx: 0, cy: 1.38, span: 0.85 }, { yaw: -0.7, cx: 0, cy: 1.38, span: 0.85 }, { yaw: Math.PI, cx: 0, cy: 1.38, span: 0.85 }] : [{ yaw: 0, cx: 0, cy: 0.9, span: 1.85 }, { yaw: -0.7, cx: 0, cy: 0.9, span: 1.85 }, { yaw: -Math.PI / 2, cx: 0, cy: 0.9, span: 1.85 }, { yaw: Math.PI, cx: 0, cy: 0.9, span: 1.85 }];
  await render(parts, process.env.OUT ?? '/tmp/preview.png', v, process.env.VIEW === 'top' ? 620 : 440);
}, 300000);
