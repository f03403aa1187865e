import type { Pixels } from './codec.ts';

/** The most that slopes may add to α², so that no rounding of an eighth of a degree makes skin dull (after Kaplanyan et al. 2016). */
const MOST_ADDED = 0.18;
/** Mean length of eight-bit directions that all point the same way, at worst: what is nearer to one says nothing. */
const ROUNDING = 0.9975;

/**
 * Roughness of a surface whose normals are averaged with it: what pointed apart within a texel comes back as roughness,
 * α'² = α² + 2σ² with σ² = (1 − |n̄|) / |n̄| of the mean direction n̄ (Toksvig 2005; α = roughness²), so that a smaller map
 * shines as the larger one did.
 * @param surface roughness in green, at its new size
 * @param normals at their old size, of the same picture
 * @returns the surface with its green widened; the same one where nothing changes
 */
export function widenRoughness(surface: Pixels, normals: Pixels): Pixels {
  const { width, height } = surface;
  if (normals.width <= width && normals.height <= height) return surface;
  const out = Uint8Array.from(surface.data),
    columns = covers(normals.width, width),
    rows = covers(normals.height, height);
  let changed = false;
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const length = meanLength(normals, columns[x], columns[x + 1], rows[y], rows[y + 1]);
      if (length >= ROUNDING) continue;
      const o = (y * width + x) * 4 + 1,
        rough = out[o] / 255,
        alpha = rough * rough,
        added = Math.min(MOST_ADDED, (2 * (ROUNDING - length)) / length),
        wide = Math.round(255 * Math.sqrt(Math.sqrt(alpha * alpha + added)));
      if (wide <= out[o]) continue;
      out[o] = Math.min(255, wide);
      changed = true;
    }
  return changed ? { width, height, data: out } : surface;
}

/** Where each texel of a smaller row begins among those of a larger one. */
const covers = (from: number, to: number): Int32Array =>
  Int32Array.from({ length: to + 1 }, (_, i) => Math.floor((i * from) / to));

/** −1 … 1 of the bytes of a normal map. */
const AXIS = Float64Array.from({ length: 256 }, (_, byte) => byte / 127.5 - 1);

/** Length of the mean of unit directions over texels of a picture; of one at least. */
function meanLength({ width, data }: Pixels, left: number, right: number, top: number, bottom: number): number {
  let sx = 0,
    sy = 0,
    sz = 0,
    n = 0;
  for (let v = top; v < Math.max(bottom, top + 1); v++)
    for (let i = (v * width + left) * 4, end = (v * width + Math.max(right, left + 1)) * 4; i < end; i += 4) {
      const nx = AXIS[data[i]],
        ny = AXIS[data[i + 1]],
        nz = AXIS[data[i + 2]],
        square = nx * nx + ny * ny + nz * nz;
      // Black between islands is no direction.
      if (square < 0.25) continue;
      const by = 1 / Math.sqrt(square);
      sx += nx * by;
      sy += ny * by;
      sz += nz * by;
      n++;
    }
  return n ? Math.sqrt(sx * sx + sy * sy + sz * sz) / n : 1;
}
