import { fromHead } from '../body/joints.ts';
import { crown, hairline, rowFinder, type Cards } from '../hair.ts';
import { seededRandom } from '@dimetra/core';
import { browLine } from './brow-line.ts';
import { TAG, type Head } from './build.ts';
import { step, type Point } from './curves.ts';
import { baseSurface } from './surface.ts';

/** The front of a head at a place: the three nearest vertices in the front view, with their shares. */
function anchorOf(head: Head, x: number, y: number): { at: number[]; share: number[]; off: [number, number] } {
  const near: [number, number][] = [];
  head.positions.forEach((p, i) => {
    if (p[2] > 45 && head.tag[i] === TAG.skin) {
      const d = (p[0] - x) ** 2 + (p[1] - y) ** 2;
      if (near.length < 3 || d < near[2][0]) {
        near.push([d, i]);
        near.sort((a, b) => a[0] - b[0]);
        near.length = Math.min(3, near.length);
      }
    }
  });
  const raw = near.map(([d]) => 1 / (d + 0.01)),
    sum = raw.reduce((a, b) => a + b, 0),
    share = raw.map((w) => w / sum),
    at = near.map(([, i]) => i);
  const mean = (k: 0 | 1) => at.reduce((total, i, n) => total + head.positions[i][k] * share[n], 0);
  return { at, share, off: [x - mean(0), y - mean(1)] };
}

/**
 * Hairs of the brows in two overlapping rows. The cards are planted on the head as it is at rest; the answer lays them on
 * any head of the same topology, so that they follow every expression.
 */
export function brows(rest: Head, count: number): (head: Head) => Cards {
  const line = browLine(rest.traits.browY),
    random = seededRandom(41);
  const along = (t: number): Point => {
    const k = Math.min(line.length - 2, Math.floor(t * (line.length - 1))),
      f = t * (line.length - 1) - k;
    return line[k].map((c, i) => c + (line[k + 1][i] - c) * f) as Point;
  };
  const planted: { anchor: ReturnType<typeof anchorOf>; lift: number; uv: [number, number] }[] = [],
    triangles: number[] = [];
  for (let row = 0; row < 2; row++)
    for (let n = 0; n < count; n++) {
      const t = (n + 0.3 + 0.4 * random()) / count,
        p = along(t),
        strip = Math.floor(random() * 4),
        steep = 1.3 * (1 - Math.min(1, t * 2)) + 0.12 + 0.2 * random(),
        long = (6.4 - 1.6 * t) * (0.85 + 0.3 * random()),
        tall = 1 - 0.45 * t,
        down = (row ? 0.3 : -2.1) * tall;
      for (const side of [1, -1]) {
        const first = planted.length;
        for (let s = 0; s < 3; s++)
          for (const edge of [-1, 1]) {
            const far = (s / 2) * long,
              bend = steep - 0.5 * (s / 2),
              half = 1.15 * edge;
            const x = p[0] + far * Math.cos(bend) - half * Math.sin(bend),
              y = p[1] + down + far * Math.sin(bend) * tall + half * Math.cos(bend);
            planted.push({
              anchor: anchorOf(rest, side * x, y),
              lift: 0.25 + 0.35 * (s / 2) + 0.15 * row,
              uv: [(strip + (edge + 1) / 2) / 4, s / 2],
            });
          }
        for (let s = 0; s < 2; s++) {
          const a = first + s * 2;
          triangles.push(...(side > 0 ? [a, a + 3, a + 1, a, a + 2, a + 3] : [a, a + 1, a + 3, a, a + 3, a + 2]));
        }
      }
    }
  return (head) => ({
    positions: planted.flatMap(({ anchor, lift }) => {
      const [x, y, z] = [0, 1, 2].map((k) =>
        anchor.at.reduce((sum, i, n) => sum + head.positions[i][k] * anchor.share[n], 0),
      );
      return fromHead([x + anchor.off[0], y + anchor.off[1], z + lift]);
    }),
    triangles,
    uv: planted.flatMap(({ uv }) => uv),
  });
}

/** A strip of water between the lower lid's edge and the eyeball. */
export function tearLine(head: Head): Cards {
  const out: Cards = { positions: [], triangles: [], uv: [] };
  for (const side of [1, -1]) {
    const margin = head.positions
      .filter((p, i) => p[0] * side > 0 && Math.abs(head.lash[i] - 0.9 * 0.32) < 1e-6)
      .sort((a, b) => Math.abs(a[0]) - Math.abs(b[0]));
    const first = out.positions.length / 3;
    margin.forEach((p, i) => {
      for (let s = 0; s < 3; s++) {
        out.positions.push(
          ...fromHead([p[0], p[1] + [-0.15, 0.35, 0.75][s] * (1 - head.traits.blink), p[2] + [-0.1, -0.15, -0.75][s]]),
        );
        out.uv.push(i / Math.max(1, margin.length - 1), s / 2);
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

/** A cap of skull from the crown to the hairline, a hair's breadth over the skin. @param rows from crown to edge @param columns of one half */
export function scalpCap(head: Head, rows: number, columns: number): Cards {
  const base = baseSurface(head.traits),
    row = rowFinder(base),
    out: Cards = { positions: [], triangles: [], uv: [] };
  const across = columns * 2;
  for (let j = 0; j <= rows; j++)
    for (let i = 0; i <= across; i++) {
      const u = (i / columns - 1) * 11,
        t = j / rows,
        v = crown + (row(Math.abs(u), hairline(Math.abs(u))) - crown) * t,
        p = base.at(u, v),
        n = base.normal(u, v),
        off = 0.55 * step(1, 0.8, t) + 0.15;
      out.positions.push(...fromHead([p[0] + n[0] * off, p[1] + n[1] * off, p[2] + n[2] * off]));
      out.uv.push(i / across, t);
    }
  for (let j = 0; j < rows; j++)
    for (let i = 0; i < across; i++) {
      const a = j * (across + 1) + i,
        b = a + 1,
        c = b + across + 1,
        d = a + across + 1;
      out.triangles.push(a, d, c, a, c, b);
    }
  return out;
}
