import type { Pixels } from './codec.ts';
import { between } from './pixels.ts';

/**
 * Fine normals on coarse ones: the fine map's directions are turned along with the coarse surface (reoriented normal
 * mapping, Barré-Brisebois & Hill 2012). The result has the larger size; both green up.
 * @param strength of the fine map's slopes, as a material's normal scale
 */
export function normalsLaidOver(coarse: Pixels, fine: Pixels, strength = 1): Pixels {
  const width = Math.max(coarse.width, fine.width),
    height = Math.max(coarse.height, fine.height),
    data = new Uint8Array(width * height * 4),
    t = new Float64Array(3),
    u = new Float64Array(3);
  for (let y = 0, o = 0; y < height; y++)
    for (let x = 0; x < width; x++, o += 4) {
      unitAt(t, coarse, x, y, width, height, 1);
      unitAt(u, fine, x, y, width, height, strength);
      t[2] += 1;
      u[0] = -u[0];
      u[1] = -u[1];
      // Straight away from the surface: nothing to turn along with.
      const k = t[2] > 1e-6 ? (t[0] * u[0] + t[1] * u[1] + t[2] * u[2]) / t[2] : 0;
      for (let c = 0; c < 3; c++) {
        const value = t[c] * k - u[c];
        data[o + c] = Math.max(0, Math.min(255, Math.round((value + 1) * 127.5)));
      }
      data[o + 3] = 255;
    }
  return { width, height, data };
}

/** A map's direction at a texel of another size, unit. */
function unitAt(
  out: Float64Array,
  map: Pixels,
  x: number,
  y: number,
  width: number,
  height: number,
  strength: number,
): void {
  if (map.width === width && map.height === height) {
    const o = (y * width + x) * 4;
    for (let c = 0; c < 3; c++) out[c] = map.data[o + c] / 127.5 - 1;
  } else for (let c = 0; c < 3; c++) out[c] = between(map, (x + 0.5) / width, (y + 0.5) / height, c) / 127.5 - 1;
  out[0] *= strength;
  out[1] *= strength;
  const l = Math.sqrt(out[0] * out[0] + out[1] * out[1] + out[2] * out[2]);
  if (l > 0) for (let c = 0; c < 3; c++) out[c] /= l;
  else out[2] = 1;
}
