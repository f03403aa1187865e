import { fractal, noise } from './noise.ts';

/** An eye's colour map: pupil in the middle, iris with fibres and a dark ring, white with veins. sRGB. */
export function paintEye(iris: readonly number[]): (u: number, v: number) => number[] {
  // The map's radius 0.49 is 0.62 of half a turn of the eyeball; the iris is 5.95 mm of its 11.9 mm radius wide.
  const irisAt = (Math.asin(5.95 / 11.9) / (Math.PI * 0.62)) * 0.49;
  return (u, v) => {
    const x = u - 0.5,
      y = v - 0.5,
      r = Math.hypot(x, y),
      a = Math.atan2(y, x),
      k = r / irisAt;
    if (k < 1.04) {
      const fibre = 0.6 + 0.7 * noise(a * 14, k * 2.2, 1) * (0.6 + 0.4 * noise(a * 40, k * 6, 4));
      const ring = 1 - 0.78 * Math.max(0, Math.min(1, (k - 0.8) / 0.2)) ** 1.5,
        inner = k < 0.55 ? 1.15 : 1;
      const pupil = Math.max(0, Math.min(1, (k - 0.33) / 0.05));
      return iris.map((c, i) => Math.min(1, c * fibre * ring * inner * (i === 0 && k < 0.5 ? 1.2 : 1)) * pupil);
    }
    const out = Math.min(1, (k - 1.04) / 1.6),
      vein = Math.max(0, fractal(a * 6 + 30, r * 60, 9, 4) - 0.55) * 2.2 * out;
    const edge = Math.min(1, (k - 1.04) / 0.12);
    return [0.9 - 0.04 * out, 0.87 - 0.13 * out - vein * 0.35, 0.84 - 0.14 * out - vein * 0.3].map(
      (c) => c * (0.55 + 0.45 * edge),
    );
  };
}
