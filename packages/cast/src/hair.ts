import { fromHead } from './body/joints.ts';
import { cross, dot, seededRandom, sub, unit } from '@dimetra/core';
import { baseSurface } from './head/surface.ts';
import type { Head } from './head/build.ts';
import type { Point } from './head/curves.ts';
import type { HairStyle } from './looks.ts';

export interface Cards {
  positions: number[];
  triangles: number[];
  uv: number[];
}

/** Hair of a style as layered cards that follow the skull. */
export function hairOf(head: Head, style: HairStyle): Cards {
  return style === 'tied'
    ? tiedHair(head)
    : scalpHair(
        head,
        style === 'curly'
          ? { layers: 5, long: 0.2, lift: 7, lean: 0.5, seed: 23 }
          : { layers: 5, long: 0.34, lift: 2.2, lean: 0.16, seed: 17 },
      );
}

/** Height of the hairline above the chin, millimetres, from the middle of the forehead (0) to the nape (11). */
export function hairline(u: number): number {
  const points = [
    [0, 182],
    [2, 181],
    [3.2, 172],
    [4.2, 166],
    [5, 150],
    [5.7, 128],
    [6.4, 108],
    [7, 118],
    [7.6, 104],
    [8.6, 84],
    [11, 76],
  ];
  let i = 0;
  while (i < points.length - 2 && u > points[i + 1][0]) i++;
  const [a, b] = [points[i], points[i + 1]];
  return a[1] + ((b[1] - a[1]) * (u - a[0])) / (b[0] - a[0]);
}

/** Row of the base surface where hair parts from: the top of the skull. */
export const crown = 19.4;
/** Row of the base surface at a height, for a column. */
export function rowFinder(base: ReturnType<typeof baseSurface>): (u: number, y: number) => number {
  return (u, y) => {
    let low = 4,
      high = crown;
    for (let k = 0; k < 22; k++) {
      const middle = (low + high) / 2;
      if (base.at(u, middle)[1] < y) low = middle;
      else high = middle;
    }
    return (low + high) / 2;
  };
}

/** One card along points (column, row) of the skull, mirrored to a side; `off` lifts it along the normal. */
function card(
  out: Cards,
  base: ReturnType<typeof baseSurface>,
  side: number,
  along: readonly { u: number; v: number; off: number; half: number }[],
  strip: number,
): void {
  const first = out.positions.length / 3;
  along.forEach(({ u, v, off, half }, s) => {
    for (const edge of [-1, 1]) {
      const uu = Math.max(0.001, Math.min(10.99, u + edge * half)),
        p = base.at(uu, v),
        n = base.normal(uu, v);
      out.positions.push(...fromHead([side * (p[0] + n[0] * off), p[1] + n[1] * off, p[2] + n[2] * off]));
      out.uv.push((strip + (edge + 1) / 2) / 4, s / (along.length - 1));
    }
  });
  const middle = along[along.length >> 1];
  lay(out, first, along.length, ([x, y, z]) => [side * x, y, z], base.normal(middle.u, middle.v));
}

/** Triangles of a strip of pairs, wound so that the card faces the way the skull does there. */
function lay(
  out: Cards,
  first: number,
  pairs: number,
  mirror: (n: readonly number[]) => readonly number[],
  normal: readonly number[],
): void {
  const k = first + ((pairs - 1) >> 1) * 2,
    at = (i: number) => out.positions.slice(i * 3, i * 3 + 3);
  const [p, q, r] = [at(k), at(k + 1), at(k + 2)],
    n = mirror(normal);
  const u = [0, 1, 2].map((i) => q[i] - p[i]),
    v = [0, 1, 2].map((i) => r[i] - p[i]);
  const out3 =
    (u[1] * v[2] - u[2] * v[1]) * n[0] + (u[2] * v[0] - u[0] * v[2]) * n[1] + (u[0] * v[1] - u[1] * v[0]) * n[2];
  for (let s = 0; s + 1 < pairs; s++) {
    const a = first + s * 2;
    out.triangles.push(...(out3 > 0 ? [a, a + 1, a + 3, a, a + 3, a + 2] : [a, a + 3, a + 1, a, a + 2, a + 3]));
  }
}

/** Cards in rings from the crown to the hairline, each overlapping the next. */
function scalpHair(
  head: Head,
  style: { layers: number; long: number; lift: number; lean: number; seed: number },
): Cards {
  const base = baseSurface(head.traits),
    row = rowFinder(base),
    random = seededRandom(style.seed);
  const out: Cards = { positions: [], triangles: [], uv: [] };
  for (let ring = 0; ring < style.layers + 3; ring++)
    for (let i = 0; i < 52; i++)
      for (const side of [1, -1]) {
        const u = ((i + random()) / 52) * 11;
        const edge = row(u, hairline(u)),
          from = Math.max(0, ring / (style.layers + 2) - 0.06 + random() * 0.08),
          lean = (random() - 0.5) * style.lean;
        const half = 0.16 + random() * 0.06 + 0.5 * Math.max(0, 0.3 - from);
        // Cards end before the hairline, each a little elsewhere, or their ends would draw a line of blocks.
        const long = Math.min(style.long, 1.005 - from - 0.07 * random());
        if (long < 0.06) continue;
        const along = Array.from({ length: 4 }, (_, s) => {
          const t = from + (long * s) / 3;
          return {
            u: u + lean * s,
            v: crown + (edge - crown) * t,
            off:
              0.8 +
              style.lift *
                (0.4 + 0.6 * Math.sin((Math.PI * (s + 0.6)) / 4)) *
                (1 - (0.75 * Math.max(0, t - 0.7)) / 0.3) +
              0.25 * ((ring * 7) % 3),
            half,
          };
        });
        card(out, base, side, along, Math.floor(random() * 4));
      }
  return out;
}

/** A direction on the shorter arc from one to another, both of length one. */
function between(a: Point, b: Point, t: number): Point {
  const turn = Math.acos(Math.max(-1, Math.min(1, dot(a, b)))),
    [p, q] = [Math.sin((1 - t) * turn), Math.sin(t * turn)].map((share) => share / Math.sin(turn));
  return unit([a[0] * p + b[0] * q, a[1] * p + b[1] * q, a[2] * p + b[2] * q]);
}

/** How far the skull reaches from its middle in a direction of its left half, millimetres. */
function skullFinder(base: ReturnType<typeof baseSurface>): (towards: Point) => number {
  const STEP = 0.25,
    places: { u: number; v: number; towards: Point }[] = [];
  for (let u = 0; u <= 11; u += STEP)
    for (let v = 4; v <= base.rows - 1; v += STEP) places.push({ u, v, towards: unit(sub(base.at(u, v), SKULL)) });
  return (towards) => {
    let best = places[0];
    for (const place of places) if (dot(place.towards, towards) > dot(best.towards, towards)) best = place;
    // Again around it, finer: cards would show the steps.
    let near = -1,
      far = 0;
    for (let i = -8; i <= 8; i++)
      for (let j = -8; j <= 8; j++) {
        const from = sub(base.at(Math.max(0, Math.min(11, best.u + (i * STEP) / 8)), best.v + (j * STEP) / 8), SKULL),
          meets = dot(unit(from), towards);
        if (meets > near) {
          near = meets;
          far = Math.hypot(...from);
        }
      }
    return far;
  };
}

/** Middle of the skull, millimetres: hair that is combed back runs over it in the plane through here. */
const SKULL: Point = [0, 150, -10];
/** Points along a card that is combed back: so many that it doesn't cut through the skull between them. */
const COMBED = 11;

/** Combed back over the skull from the hairline to a knot, in three layers, and the knot itself. */
function tiedHair(head: Head): Cards {
  const base = baseSurface(head.traits),
    row = rowFinder(base),
    random = seededRandom(29),
    skull = skullFinder(base);
  const out: Cards = { positions: [], triangles: [], uv: [] };
  const knot = { u: 11, v: row(11, 150) },
    to = unit(sub(base.at(knot.u, knot.v), SKULL));
  for (let layer = 0; layer < 3; layer++)
    for (let i = 0; i < 60; i++)
      for (const side of [1, -1]) {
        // Closer at the forehead: from there they spread over the whole crown.
        const s0 = (i + random()) / 60,
          u0 = 11 * s0 * Math.sqrt(s0),
          from = unit(sub(base.at(u0, row(u0, hairline(u0) + layer * 14)), SKULL)),
          wide = 4.6 + random() * 1.2,
          first = out.positions.length / 3,
          strip = Math.floor(random() * 4);
        for (let s = 0; s < COMBED; s++) {
          const t = (s / (COMBED - 1)) * 0.97,
            bend = Math.sin(Math.PI * t),
            towards = between(from, to, t),
            aside = unit(cross(towards, between(from, to, t + 0.01))),
            half = wide * (1 - 0.55 * t) * (1 + 0.9 * bend * Math.max(0, 1 - u0 / 4)),
            off = 1 + layer * 0.9 + Math.sqrt(bend) * 3 + random() * 0.3,
            far = skull(towards) + off;
          for (const edge of [-1, 1]) {
            const [x, y, z] = [0, 1, 2].map((k) => SKULL[k] + towards[k] * far + aside[k] * half * edge);
            out.positions.push(...fromHead([side * x, y, z]));
            // Their tips lie in the knot: nothing of them thins out before it.
            out.uv.push((strip + (edge + 1) / 2) / 4, (0.62 * s) / (COMBED - 1));
          }
        }
        const middle = between(from, to, 0.5);
        lay(out, first, COMBED, ([x, y, z]) => [side * x, y, z], middle);
      }
  const centre = base.at(knot.u, knot.v);
  for (let i = 0; i < 40; i++) {
    const a = (i / 40) * Math.PI * 2,
      first = out.positions.length / 3,
      strip = i % 4;
    for (let s = 0; s <= 6; s++)
      for (const edge of [-1, 1]) {
        const p = (s / 6) * Math.PI,
          turn = a + edge * 0.13 + s * 0.22,
          r = 21 * Math.sin(p) + 1;
        out.positions.push(
          ...fromHead([r * Math.cos(turn), centre[1] + 4 + r * Math.sin(turn), centre[2] - 13 - 15 * Math.cos(p)]),
        );
        out.uv.push((strip + (edge + 1) / 2) / 4, (s / 6) * 0.7);
      }
    lay(out, first, 7, (n) => n, [Math.cos(a), Math.sin(a), -0.4]);
  }
  return out;
}

/** Upper lashes: cards from the lid margin outwards and up. Follows whatever the lids do in `head`. */
export function lashes(head: Head): Cards {
  const out: Cards = { positions: [], triangles: [], uv: [] };
  for (const side of [1, -1]) {
    const margin = head.positions
      .map((p, i) => ({ p, w: head.lash[i] }))
      .filter(({ p, w }) => w === 0.9 && p[0] * side > 0)
      .map(({ p }) => p);
    margin.sort((a, b) => Math.abs(a[0]) - Math.abs(b[0]));
    const first = out.positions.length / 3;
    margin.forEach((p, i) => {
      const t = i / Math.max(1, margin.length - 1),
        long = 3 + 4.2 * t;
      const aside = side * (t - 0.35) * 4.5;
      const down = head.traits.blink * 4.5;
      for (let s = 0; s < 3; s++) {
        const k = s / 2;
        out.positions.push(
          ...fromHead([
            p[0] + aside * k,
            p[1] + (1.2 * k + 2.6 * k * k) * (long / 6) - down * k * k,
            p[2] + 0.2 + long * k * (1 - 0.25 * k),
          ]),
        );
        out.uv.push(t, 1 - k);
      }
    });
    for (let i = 0; i < margin.length - 1; i++)
      for (let s = 0; s < 2; s++) {
        const a = first + i * 3 + s,
          b = a + 3;
        out.triangles.push(...(side > 0 ? [a, b, b + 1, a, b + 1, a + 1] : [a, b + 1, b, a, a + 1, b + 1]));
      }
  }
  return out;
}
