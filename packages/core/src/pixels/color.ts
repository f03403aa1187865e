import { cubeRoot, degreesOf, expOf, power24, root24, sineOfSmall } from '../geometry/index.ts';

/** Linear light 0 … 1 of an sRGB byte (IEC 61966-2-1), from a table. */
export const LINEAR: Float32Array = Float32Array.from({ length: 256 }, (_, byte) => {
  const c = byte / 255;
  return c <= 0.04045 ? c / 12.92 : power24((c + 0.055) / 1.055);
});

/** sRGB 0 … 255, unrounded, of linear light. */
export const toSrgb = (linear: number): number =>
  255 * (linear <= 0.0031308 ? Math.max(0, linear) * 12.92 : 1.055 * root24(linear) - 0.055);

const ENCODED_STEPS = 4096;
const ENCODED = Uint8Array.from({ length: ENCODED_STEPS + 1 }, (_, i) => Math.round(toSrgb(i / ENCODED_STEPS)));
/** sRGB byte of linear light, from a table of 4096 steps. */
export const encodedByte = (linear: number): number =>
  ENCODED[linear <= 0 ? 0 : linear >= 1 ? ENCODED_STEPS : (linear * ENCODED_STEPS + 0.5) | 0];

/** The curve of CIE L*a*b* (CIE 15:2004). */
export const labCurve = (t: number): number => (t > 216 / 24389 ? cubeRoot(t) : ((24389 / 27) * t + 16) / 116);

const linearOf = (byte: number): number => {
  const c = byte / 255;
  return c <= 0.04045 ? c / 12.92 : power24((c + 0.055) / 1.055);
};

/** CIE L*a*b* (D65) of an sRGB colour, 0 … 255. */
export function toLab(rgb: readonly [number, number, number]): [number, number, number] {
  const [r, g, b] = rgb.map(linearOf);
  const x = labCurve((0.4124564 * r + 0.3575761 * g + 0.1804375 * b) / 0.95047);
  const y = labCurve(0.2126729 * r + 0.7151522 * g + 0.072175 * b);
  const z = labCurve((0.0193339 * r + 0.119192 * g + 0.9503041 * b) / 1.08883);
  return [116 * y - 16, 500 * (x - y), 200 * (y - z)];
}

const POW7 = 25 ** 7;
const seventh = (x: number): number => {
  const square = x * x;
  return square * square * square * x;
};
/** Cosine and sine of 30°, 6° and 63°. */
const C30 = 0.8660254037844386,
  C6 = 0.9945218953682733,
  S6 = 0.10452846326765346,
  C63 = 0.45399049973954675,
  S63 = 0.8910065241883678;

/**
 * Colour difference ΔE 2000 (Sharma, Wu & Dalal 2005) of two L*a*b* colours; hues are kept as directions, so that no
 * angle but one has to be found.
 * @param p where the first begins in `one`, and `q` the second in `two`
 */
export function deltaE2000(one: ArrayLike<number>, two: ArrayLike<number>, p = 0, q = 0): number {
  const l1 = one[p],
    b1 = one[p + 2],
    l2 = two[q],
    b2 = two[q + 2];
  const chroma1 = Math.sqrt(one[p + 1] * one[p + 1] + b1 * b1),
    chroma2 = Math.sqrt(two[q + 1] * two[q + 1] + b2 * b2),
    mean7 = seventh((chroma1 + chroma2) / 2),
    stretch = 1.5 - 0.5 * Math.sqrt(mean7 / (mean7 + POW7));
  const a1 = one[p + 1] * stretch,
    a2 = two[q + 1] * stretch,
    c1 = Math.sqrt(a1 * a1 + b1 * b1),
    c2 = Math.sqrt(a2 * a2 + b2 * b2);
  // Direction of the mean hue, and half the chord between both: the sine of half their angle.
  let ux = c1 ? a1 / c1 : 0,
    uy = c1 ? b1 / c1 : 0,
    half = 0;
  if (c1 && c2) {
    const vx = a2 / c2,
      vy = b2 / c2,
      cross = ux * vy - uy * vx;
    // Opposite hues: the one that comes first around the circle says which way.
    const forward = cross !== 0 ? cross > 0 : uy < 0 || (uy === 0 && ux < 0) ? false : ux * vx + uy * vy < 0;
    half = (Math.sqrt((vx - ux) * (vx - ux) + (vy - uy) * (vy - uy)) / 2) * (forward ? 1 : -1);
    const mx = ux + vx,
      my = uy + vy,
      length = Math.sqrt(mx * mx + my * my);
    if (length > 1e-12) {
      ux = mx / length;
      uy = my / length;
    } else if (forward) [ux, uy] = [-uy, ux];
    else [ux, uy] = [-vy, vx];
  } else if (c2) {
    ux = a2 / c2;
    uy = b2 / c2;
  } else if (!c1) ux = 1;
  const l = (l1 + l2) / 2,
    c = (c1 + c2) / 2;
  const cos2 = ux * ux - uy * uy,
    sin2 = 2 * ux * uy,
    cos3 = ux * cos2 - uy * sin2,
    sin3 = uy * cos2 + ux * sin2,
    cos4 = cos2 * cos2 - sin2 * sin2,
    sin4 = 2 * sin2 * cos2;
  const t =
    1 - 0.17 * (ux * C30 + uy * 0.5) + 0.24 * cos2 + 0.32 * (cos3 * C6 - sin3 * S6) - 0.2 * (cos4 * C63 + sin4 * S63);
  const l50 = (l - 50) * (l - 50),
    c7 = seventh(c),
    hue = (degreesOf(uy, ux) - 275) / 25,
    turn = sineOfSmall((Math.PI / 3) * expOf(-hue * hue));
  const dl = (l2 - l1) / (1 + (0.015 * l50) / Math.sqrt(20 + l50)),
    dc = (c2 - c1) / (1 + 0.045 * c),
    dh = (2 * Math.sqrt(c1 * c2) * half) / (1 + 0.015 * c * t);
  return Math.sqrt(Math.max(0, dl * dl + dc * dc + dh * dh - 2 * Math.sqrt(c7 / (c7 + POW7)) * turn * dc * dh));
}
