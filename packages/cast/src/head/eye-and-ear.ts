import { bell, lerp, step, type Point } from './curves.ts';
import type { Head } from './build.ts';

export interface Shell {
  positions: Point[];
  quads: [number, number, number, number][];
  /** 0 … 1 in both directions over the part. */
  uv: [number, number][];
}

/** An eyeball with a hollow for the iris; the texture's centre is the pupil. `side` 1 is the left. */
export function eyeball(head: Head, side: 1 | -1, grow = 0): Shell {
  const p = head.traits,
    around = 28,
    rings = 15,
    radius = p.eyeR - 0.1 + grow,
    iris = 5.95;
  const out: Shell = { positions: [], quads: [], uv: [] };
  for (let j = 0; j <= rings; j++)
    for (let i = 0; i <= around; i++) {
      const f = (2 * Math.PI * i) / around;
      const polar = (Math.PI * 0.62 * j) / rings;
      const x = radius * Math.sin(polar) * Math.cos(f),
        y = radius * Math.sin(polar) * Math.sin(f);
      const r = Math.hypot(x, y);
      let z = radius * Math.cos(polar);
      // The cornea bulges over the iris, the iris itself lies a little behind the white's curve.
      if (r < iris && polar < Math.PI / 2) z += (grow > 0 ? 1.5 : -0.7) * (1 - (r / iris) ** 2);
      out.positions.push([side * (p.eyeX + x), p.eyeY + y, p.eyeZ + z]);
      const reach = (polar / (Math.PI * 0.62)) * 0.49;
      out.uv.push([0.5 + reach * Math.cos(f), 0.5 - reach * Math.sin(f)]);
    }
  for (let j = 0; j < rings; j++)
    for (let i = 0; i < around; i++) {
      const a = j * (around + 1) + i,
        b = a + 1,
        c = b + around + 1,
        d = a + around + 1;
      out.quads.push(side > 0 ? [a, d, c, b] : [a, b, c, d]);
    }
  return out;
}

/** An ear as a plate with whorls, a rolled rim and a back. */
export function ear(head: Head, side: 1 | -1): Shell {
  const p = head.traits,
    around = 48,
    rings = 22,
    height = 31.5 * p.earScale,
    width = 18.6 * p.earScale;
  const outline = (a: number): [number, number] => {
    let c = Math.cos(a),
      q = Math.sin(a);
    const s = (Math.abs(c) ** 2.3 + Math.abs(q) ** 2.3) ** (-1 / 2.3);
    c *= s;
    q *= s;
    let x = c * width * (1 + 0.1 * q);
    if (c > 0) x *= 1 + 0.1 * q;
    if (q < 0) {
      x *= 1 - 0.3 * (-q) ** 1.2 + 0.1 * bell(q + 0.86, 0.2);
      x -= 3.4 * q * q;
    }
    if (c < 0) x *= 0.84;
    if (q > 0) x -= 1.5 * q * q;
    return [x, q * height];
  };
  const lift = (X: number, Y: number, r: number, a: number): number => {
    const c = Math.cos(a),
      q = Math.sin(a),
      lobe = step(-0.55, -0.85, q);
    const rim = c > -0.55 || q > 0.25 ? 1 : step(-0.9, -0.4, q * 1.2);
    const spot = (x: number, y: number, rx: number, ry: number) =>
      Math.exp(-(((X - x) / rx) ** 2 + ((Y - y) / ry) ** 2));
    let h = 6.5 * step(0, 1, r) * lerp(1, 0.15, step(0, -0.75, c) * step(0.75, 0.1, q));
    h += 3.2 * bell(r - 0.93, 0.085) * (1 - lobe) * rim;
    h -= 2.2 * bell(r - 0.79, 0.075) * (1 - lobe) * (c > -0.3 ? 1 : 0.4);
    h += 3.4 * bell(r - (0.6 + 0.04 * q), 0.1) * (c > -0.25 ? 1 : step(-0.8, -0.25, c)) * (1 - lobe * 0.8);
    h -= 2.2 * (1 - step(0.25, 0.55, r));
    h += lobe * (r - 0.5);
    h +=
      4.6 * spot(-11.5, -3, 4, 5) +
      2.6 * spot(-3, -14, 4, 3.5) -
      2.5 * spot(-8, -12, 2.2, 3) -
      1.8 * spot(-3, 17, 5, 4.5);
    return h + 2.4 * Math.exp(-(((X + 7) / 6) ** 2 + ((Y - 3.5 - 0.2 * X) / 2.4) ** 2));
  };
  const at: Point = [(71.5 * (0.8 + 0.2 * p.faceW) + 0.5) * p.headW, 98, -9];
  const flare = 0.27;
  const place = (X: number, Y: number, h: number): Point => {
    const x = X * Math.cos(0.16) + Y * Math.sin(0.16),
      y = -X * Math.sin(0.16) + Y * Math.cos(0.16);
    const outward = Math.sin(flare) * (x + 14) + h * Math.cos(flare),
      back = Math.cos(flare) * x - h * Math.sin(flare);
    return [side * (at[0] - 0.8 + outward - Math.max(0, -y - 18) * 0.18), at[1] + y, at[2] - back];
  };
  const out: Shell = { positions: [], quads: [], uv: [] };
  const ringsAll: [number, (X: number, Y: number, a: number) => number][] = [];
  for (let j = 0; j <= rings; j++) ringsAll.push([j / rings, (X, Y, a) => lift(X, Y, j / rings, a)]);
  for (const [r, drop] of [
    [1.035, -0.2],
    [1.05, -1.4],
    [1.03, -2.8],
    [0.97, -4],
    [0.85, -5.2],
    [0.65, -8],
    [0.45, -12],
  ])
    ringsAll.push([
      r,
      (_X, _Y, a) => {
        const o = outline(a);
        return lift(o[0], o[1], 1, a) + drop;
      },
    ]);
  for (const [r, h] of ringsAll)
    for (let i = 0; i < around; i++) {
      const a = (2 * Math.PI * i) / around,
        o = outline(a),
        X = lerp(-2, o[0], r),
        Y = lerp(-3, o[1], r);
      out.positions.push(place(X, Y, h(X, Y, a)));
      out.uv.push([0.5 + X / 60, 0.5 - Y / 80]);
    }
  for (let j = 0; j < ringsAll.length - 1; j++)
    for (let i = 0; i < around; i++) {
      const k = (i + 1) % around,
        a = j * around + i,
        b = j * around + k,
        c = b + around,
        d = a + around;
      out.quads.push(side < 0 ? [a, b, c, d] : [a, d, c, b]);
    }
  return out;
}
