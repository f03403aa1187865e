import { step } from '../head/curves.ts';
import type { Texel } from './bake.ts';
import { fractal, noise } from './noise.ts';

/** Plain weave: threads over and under, 0 … 1; `threads` across the texture. */
export const weave =
  (threads: number) =>
  (u: number, v: number): number => {
    const a = u * threads,
      b = v * threads;
    const over = (Math.floor(a) + Math.floor(b)) % 2 === 0;
    const across = Math.abs(Math.sin(Math.PI * a)),
      along = Math.abs(Math.sin(Math.PI * b));
    return (over ? across : along) * 0.8 + 0.2 * noise(a * 0.7, b * 0.7, 5);
  };

/** Knit ribs with stitches. */
export const knit =
  (ribs: number) =>
  (u: number, v: number): number => {
    const rib = Math.abs(Math.sin(Math.PI * u * ribs));
    const stitch = Math.abs(Math.sin(Math.PI * (v * ribs * 0.8 + 0.35 * Math.abs(((u * ribs * 2) % 2) - 1))));
    return rib * 0.7 + stitch * 0.3;
  };

/** Cloth with wear: lighter on ridges, salt towards hems, darker in creases. Colours are sRGB 0 … 1. */
export function paintCloth(
  base: readonly number[],
  grain: (u: number, v: number) => number,
  options: { salt?: number; trim?: (t: Texel) => readonly number[] | null } = {},
): (t: Texel) => number[] {
  return (t) => {
    const trim = options.trim?.(t);
    const big = fractal(t.x * 9 + 20, t.y * 9 + 20, t.z * 9 + 20, 4) - 0.5,
      fine = grain(t.u, t.v) - 0.5;
    const of = trim ?? base,
      tint = 1 + 0.22 * big + 0.16 * fine,
      near = (options.salt ?? 0) * step(0.35, 0.05, Math.min(1, Math.abs(t.y - 0.9)));
    const c = [of[0] * tint, of[1] * tint, of[2] * tint];
    const salt = near > 1e-3 ? 0.22 * near * step(0.56, 0.72, fractal(t.x * 16, t.y * 16, t.z * 16 + 7, 5)) : 0;
    if (salt) {
      c[0] += (0.86 - c[0]) * salt;
      c[1] += (0.87 - c[1]) * salt;
      c[2] += (0.86 - c[2]) * salt;
    }
    return c;
  };
}
