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
  const out = Uint8Array.from(surface.data);
  let changed = false;
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const length = meanLength(normals, x, y, width, height);
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

/** Length of the mean of unit directions over the texels of a larger picture that one of a smaller covers. */
function meanLength({ width, height, data }: Pixels, x: number, y: number, w: number, h: number): number {
  const left = Math.floor((x * width) / w),
    right = Math.max(left + 1, Math.floor(((x + 1) * width) / w)),
    top = Math.floor((y * height) / h),
    bottom = Math.max(top + 1, Math.floor(((y + 1) * height) / h));
  let sx = 0,
    sy = 0,
    sz = 0,
    n = 0;
  for (let v = top; v < bottom; v++)
    for (let u = left; u < right; u++) {
      const i = (v * width + u) * 4,
        nx = data[i] / 127.5 - 1,
        ny = data[i + 1] / 127.5 - 1,
        nz = data[i + 2] / 127.5 - 1,
        length = Math.sqrt(nx * nx + ny * ny + nz * nz);
      // Black between islands is no direction.
      if (length < 0.5) continue;
      sx += nx / length;
      sy += ny / length;
      sz += nz / length;
      n++;
    }
  return n ? Math.sqrt(sx * sx + sy * sy + sz * sz) / n : 1;
}
