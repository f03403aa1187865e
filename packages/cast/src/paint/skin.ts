import { bell, len, step, toPolyline } from '../head/curves.ts';
import { dot } from '@dimetra/core';
import { linen } from '../body/anatomy.ts';
import { HEAD_AT } from '../body/joints.ts';
import { NAILS, nailEnd, nailLength } from '../body/nails.ts';
import { browLine } from '../head/brow-line.ts';
import type { Traits } from '../head/traits.ts';
import type { SkinTone } from '../looks.ts';
import { fractal, noise } from './noise.ts';
import type { Texel } from './bake.ts';

/** Written out for three channels: a map asks for millions. */
const mix = (a: readonly number[], b: readonly number[], t: number): number[] => [
  a[0] + (b[0] - a[0]) * t,
  a[1] + (b[1] - a[1]) * t,
  a[2] + (b[2] - a[2]) * t,
];
const sRgb = (linear: number): number =>
  linear <= 0.0031308 ? linear * 12.92 : 1.055 * Math.max(0, linear) ** (1 / 2.4) - 0.055;
const STEPS = 4096,
  TABLE = Float64Array.from({ length: STEPS + 2 }, (_, i) => sRgb(i / STEPS));
/** {@link sRgb} by a table, to a thousandth; beyond 1 it stays there. */
const fromTable = (linear: number): number => {
  const at = Math.max(0, Math.min(1, linear)) * STEPS,
    i = Math.floor(at);
  return TABLE[i] + (TABLE[i + 1] - TABLE[i]) * (at - i);
};
/** A colour as a map holds it. */
const shown = (c: readonly number[]): number[] => [fromTable(c[0]), fromTable(c[1]), fromTable(c[2])];

/** Colour of a face: mottling, redness, brows as hairs, lips, lash line, stubble. Extras: lip, lash line, mouth. */
export function paintFace(tone: SkinTone, p: Traits, scalp: readonly number[] | null = null): (t: Texel) => number[] {
  return (t) => {
    const x = (t.x - HEAD_AT[0]) * 1000,
      y = (t.y - HEAD_AT[1]) * 1000,
      z = (t.z - HEAD_AT[2]) * 1000,
      ax = Math.abs(x);
    const mottle = fractal(x / 9 + 40, y / 9 + 40, z / 9 + 40, 3) - 0.5,
      pores = noise(x * 1.6, y * 1.6, z * 1.6) - 0.5;
    const cheek = bell(len((ax - 42) / 22, (y - 84) / 17), 1) * step(20, 60, z);
    const red =
      (cheek > 1e-3 ? 0.5 * cheek * (0.6 + 0.8 * fractal(x / 14, y / 14, 3, 3)) : 0) +
      0.7 * bell(len(x / 14, (y - 79) / 11), 1) * step(86, 100, z) +
      0.3 * bell(len(x / 14, (y - 14) / 12), 1) * step(70, 85, z) +
      0.7 * step(62, 70, ax) * step(66, 74, y) * step(132, 124, y) * step(-40, -20, z) +
      0.4 * mottle;
    let c: number[] = [
      tone.base[0] * (1 + 0.05 * red),
      tone.base[1] * (1 - 0.16 * red),
      tone.base[2] * (1 - 0.16 * red),
    ];
    const tint = 1 + 0.13 * mottle + 0.05 * pores;
    c = [c[0] * tint, c[1] * tint, c[2] * tint];
    const socket = bell(len((ax - p.eyeX) / 17, (y - p.eyeY) / 11), 1) * step(55, 68, z);
    c = [c[0] * (1 - 0.1 * socket), c[1] * (1 - 0.17 * socket), c[2] * (1 - 0.1 * socket)];
    if (tone.freckles && z > 50) {
      const where = bell(len((ax - 26) / 26, (y - 92) / 18), 1) * step(50, 70, z) * tone.freckles,
        f = where > 1e-3 ? where * step(0.7, 0.8, noise(x / 1.9, y / 1.9, z / 1.9)) : 0;
      c = mix(c, [c[0] * 0.72, c[1] * 0.58, c[2] * 0.5], f);
    }
    if (tone.stubble && z > 5) {
      const beard = Math.max(
        step(80, 52, y) * step(-22, 2, y) * step(4, 34, z),
        step(77, 65, y) * step(31, 15, ax) * step(76, 90, z),
      );
      if (beard > 0)
        c = mix(
          c,
          [0.11, 0.09, 0.08],
          Math.min(0.75, tone.stubble * beard * (0.55 + 0.9 * noise(x * 2.3, y * 2.3, z * 2.3)) * 0.62),
        );
    }
    if (z > 50) c = brows(c, tone, p, x, y);
    // Short roots darken the scalp, so that nothing shines between the cards.
    if (scalp && y > 60) {
      const edge = scalpLine(ax, z);
      if (y > edge - 5)
        c = mix(c, scalp, 0.9 * step(edge - 3, edge + 5, y + 3 * (noise(x * 0.9, y * 0.4, z * 0.9) - 0.5)));
    }
    const [lip = 0, lash = 0, mouth = 0] = t.extra;
    if (lip > 0)
      c = mix(
        c,
        tone.lip.map((q) => q * (1 + 0.2 * (noise(x * 1.1, y * 0.5, 2) - 0.5))),
        lip * 0.78,
      );
    if (lash > 0) c = mix(c, [0.045, 0.035, 0.03], lash);
    if (mouth > 0.01) c = mix(c, [0.16, 0.035, 0.035], Math.min(1, mouth * 1.2));
    return shown(c);
  };
}

/** Height of the hairline by place: forehead, temple, before and behind the ear, nape. */
function scalpLine(x: number, z: number): number {
  if (z > 40) return 181 - 12 * step(28, 56, x);
  if (z > 8) return 166 - (40 - z) * 1.1 - 18 * step(30, 12, z);
  return z > -30 ? 118 + 14 * step(-4, 6, z) : 118 - 38 * step(-32, -70, z);
}

function brows(c: number[], tone: SkinTone, p: Traits, x: number, y: number): number[] {
  const [d, t] = toPolyline([Math.abs(x), y], browLine(p.browY), 2);
  const width = (4.4 + (1.7 - 4.4) * t ** 1.4) * (0.6 + 0.4 * step(0, 0.12, t));
  const angle = 1.35 + (0.1 - 1.35) * Math.min(1, t * 2.2);
  const hair = noise(
    (Math.abs(x) * Math.sin(angle) - y * Math.cos(angle)) * 2.2,
    (Math.abs(x) * Math.cos(angle) + y * Math.sin(angle)) * 0.3,
    x > 0 ? 3 : 8,
  );
  const m =
    0.92 * (1 - step(0.4, 1.2, d / width + 0.9 * (hair - 0.5))) * step(-0.02, 0.08, t) * (1 - 0.3 * step(0.85, 1, t));
  return mix(c, tone.brow, m);
}

/** 0 outside, 1 on a nail; `free` is the part past the finger's flesh, `fold` the skin around. */
function nailAt(x: number, y: number, z: number): { nail: number; free: number; fold: number } {
  for (const place of NAILS) {
    const { tip, along, across, back, half } = place;
    const d = [Math.abs(x) - tip[0], y - tip[1], z - tip[2]],
      a = dot(d, along),
      c = dot(d, across) / half,
      up = dot(d, back);
    if (a < -0.02 || a > 0.012 || Math.abs(c) > 1.6 || up < 0.001) continue;
    // Round at the root, straight along the sides, a soft arc at the end.
    const length = nailLength(place),
      end = nailEnd(c),
      root = (a - (end - length)) / (length * 0.4),
      inside = Math.min(1 - Math.abs(c), root < 1 ? 1 - len(c, Math.max(0, 1 - root)) : 1, (end - a) / half + 0.05);
    return {
      nail: step(-0.04, 0.06, inside) * step(0.001, 0.0025, up),
      free: step(end - 0.0022, end - 0.0012, a),
      fold: bell(inside, 0.16) * step(0.001, 0.0025, up),
    };
  }
  return { nail: 0, free: 0, fold: 0 };
}

/** Colour of hands: knuckles and finger tips redder, nails with a pale edge. */
export function paintHand(tone: SkinTone): (t: Texel) => number[] {
  return (t) => {
    const m = fractal(t.x * 110, t.y * 110, t.z * 110, 4) - 0.5,
      pores = noise(t.x * 1500, t.y * 1500, t.z * 1500) - 0.5;
    const red = 0.35 + 0.6 * m,
      { nail, free, fold } = nailAt(t.x, t.y, t.z);
    let c: number[] = [
      tone.base[0] * (1 + 0.03 * red),
      tone.base[1] * (1 - 0.12 * red),
      tone.base[2] * (1 - 0.13 * red),
    ].map((q) => q * (0.97 + 0.12 * m + 0.06 * pores));
    c = mix(c, [c[0] * 0.8, c[1] * 0.62, c[2] * 0.58], 0.7 * fold);
    const plate = mix(
      [tone.base[0] * 1.12 + 0.04, tone.base[1] * 1.02 + 0.03, tone.base[2] * 1.05 + 0.035],
      [0.62, 0.54, 0.45],
      free,
    );
    return shown(mix(c, plate, nail));
  };
}
/** Colour of the body: skin, redder at elbows, knees and knuckles; a ribbed vest, shorts and socks. */
export function paintBody(tone: SkinTone): (t: Texel) => number[] {
  return (t) => {
    const x = Math.abs(t.x),
      y = t.y,
      z = t.z;
    const m = fractal(t.x * 60 + 9, t.y * 60, t.z * 60, 4) - 0.5,
      pores = noise(t.x * 1300, t.y * 1300, t.z * 1300) - 0.5;
    const red =
      0.5 * m +
      1.1 * bell(len(x - 0.103, y - 0.51), 0.05) +
      0.9 * bell(len(x - 0.39, y - 1.215), 0.045) * step(0.01, -0.03, z);
    let c: number[] = [
      tone.base[0] * (1 + 0.03 * red),
      tone.base[1] * (1 - 0.1 * red),
      tone.base[2] * (1 - 0.11 * red),
    ].map((q) => q * (0.99 + 0.1 * m + 0.05 * pores));
    if (z > 0.05)
      c = mix(
        c,
        c.map((q) => q * 0.45),
        bell(len(x, (y - 1.085) * 0.7), 0.006),
      );
    const covered = linen(x, y, z),
      rib = 0.5 + 0.5 * Math.sin(y < 0.2 ? Math.atan2(z, x - 0.112) * 26 : t.x * 1100);
    const cloth = (
      y < 1.0 && y > 0.5 ? [0.018, 0.022, 0.03] : y < 0.5 ? [0.05, 0.055, 0.06] : [0.075, 0.085, 0.095]
    ).map((q) => q * (0.8 + 0.25 * rib + 0.2 * m));
    return shown(mix(c, cloth, covered));
  };
}
export { mix, sRgb };
