import { fromHead } from './body/joints.ts';
import { seededRandom } from '@dimetra/core';
import { baseSurface } from './head/surface.ts';
import type { Head } from './head/build.ts';

export interface Cards {
  positions: number[];
  triangles: number[];
  uv: number[];
}

/** Short hair below a cap: layered cards round the back and sides, lying along the skull. */
export function shortHair(head: Head): Cards {
  const base = baseSurface(head.traits), random = seededRandom(11);
  const out: Cards = { positions: [], triangles: [], uv: [] };
  const rowAt = (u: number, y: number) => { let best = 0, off = Infinity; for (let v = 6; v < 16; v += 0.05) { const d = Math.abs(base.at(u, v)[1] - y); if (d < off) { off = d; best = v; } } return best; };
  for (let layer = 0; layer < 3; layer++) for (let i = 0; i < 46; i++) for (const side of [1, -1]) {
    const u = 6.75 + ((i + random() * 0.6) / 46) * 4.2;
    const top = 152 - layer * 9 + random() * 5, low = (u < 8.1 ? 84 + (8.1 - u) * 22 : 84 - (u - 8.1) * 4) - layer * 4 + random() * 7;
    const half = 0.1 + random() * 0.03, strip = Math.floor(random() * 4);
    const v0 = rowAt(u, top), v1 = rowAt(u, low);
    const lean = (random() - 0.5) * 0.12;
    const first = out.positions.length / 3;
    for (let s = 0; s <= 4; s++) for (const edge of [-1, 1]) {
      const uu = Math.min(10.98, u + edge * half + lean * s * 0.25), v = v0 + ((v1 - v0) * s) / 4;
      const p = base.at(uu, v), n = base.normal(uu, v), off = 1.2 + layer * 1.1 + s * 0.5;
      out.positions.push(...fromHead([side * (p[0] + n[0] * off), p[1] + n[1] * off, p[2] + n[2] * off]));
      out.uv.push((strip + (edge + 1) / 2) / 4, s / 4);
    }
    for (let s = 0; s < 4; s++) { const a = first + s * 2, q = side > 0 ? [a, a + 1, a + 3, a, a + 3, a + 2] : [a, a + 3, a + 1, a, a + 2, a + 3]; out.triangles.push(...q); }
  }
  return out;
}

/** Upper lashes: cards from the lid margin outwards and up. Follows whatever the lids do in `head`. */
export function lashes(head: Head): Cards {
  const out: Cards = { positions: [], triangles: [], uv: [] };
  for (const side of [1, -1]) {
    const margin = head.positions.map((p, i) => ({ p, w: head.lash[i] })).filter(({ p, w }) => w === 0.9 && p[0] * side > 0).map(({ p }) => p);
    margin.sort((a, b) => Math.abs(a[0]) - Math.abs(b[0]));
    const first = out.positions.length / 3;
    margin.forEach((p, i) => {
      const t = i / Math.max(1, margin.length - 1), long = 3 + 4.2 * t;
      const aside = side * (t - 0.35) * 4.5;
      const down = head.traits.blink * 4.5;
      for (let s = 0; s < 3; s++) {
        const k = s / 2;
        out.positions.push(...fromHead([p[0] + aside * k, p[1] + (1.2 * k + 2.6 * k * k) * (long / 6) - down * k * k, p[2] + 0.2 + long * k * (1 - 0.25 * k)]));
        out.uv.push(t, 1 - k);
      }
    });
    for (let i = 0; i < margin.length - 1; i++) for (let s = 0; s < 2; s++) {
      const a = first + i * 3 + s, b = a + 3;
      out.triangles.push(...(side > 0 ? [a, b, b + 1, a, b + 1, a + 1] : [a, b + 1, b, a, a + 1, b + 1]));
    }
  }
  return out;
}

/** Two rows of teeth as curved bands. `lower` is carried by the jaw. */
export function teeth(lower: boolean): Cards {
  const out: Cards = { positions: [], triangles: [], uv: [] };
  const across = 28;
  for (let i = 0; i <= across; i++) {
    const a = (i / across - 0.5) * Math.PI * 0.92, tooth = Math.abs(Math.sin(i * 1.57)) * 0.5;
    const x = 21.5 * Math.sin(a), z = 60 + 21 * Math.cos(a);
    const profile: [number, number][] = lower ? [[40.5, 0], [44.8, 0.7 + tooth * 0.4], [45.2, -1.6], [41, -3]] : [[54, 0], [46.8, 0.9 + tooth * 0.4], [46.4, -1.6], [53, -3.5]];
    profile.forEach(([y, d], k) => { const s = 1 + d / 24; out.positions.push(...fromHead([x * s, y, 60 + (z - 60) * s])); out.uv.push(i / across, (lower ? 0.5 : 0) + (k / 3) * 0.5); });
  }
  for (let i = 0; i < across; i++) for (let k = 0; k < 3; k++) { const a = i * 4 + k, b = a + 4; out.triangles.push(...(lower ? [a, b, b + 1, a, b + 1, a + 1] : [a, b + 1, b, a, a + 1, b + 1])); }
  return out;
}
