import { fromHead } from '../body/joints.ts';
import type { Cards } from '../hair.ts';
import { bell } from './curves.ts';

const ACROSS = 28;

/** A band along the arch of a jaw; `profile` gives height and how far in front of the arch, head's millimetres. */
function archBand(
  profile: (i: number) => readonly (readonly [number, number])[],
  flip: boolean,
  place: (i: number, k: number, last: number) => [number, number],
): Cards {
  const out: Cards = { positions: [], triangles: [], uv: [] };
  let rows = 0;
  for (let i = 0; i <= ACROSS; i++) {
    const a = (i / ACROSS - 0.5) * Math.PI * 0.92,
      x = 21.5 * Math.sin(a),
      z = 60 + 21 * Math.cos(a),
      steps = profile(i);
    rows = steps.length;
    steps.forEach(([y, d], k) => {
      const s = 1 + d / 24;
      out.positions.push(...fromHead([x * s, y, 60 + (z - 60) * s]));
      out.uv.push(...place(i, k, rows - 1));
    });
  }
  for (let i = 0; i < ACROSS; i++)
    for (let k = 0; k < rows - 1; k++) {
      const a = i * rows + k,
        b = a + rows;
      out.triangles.push(...(flip ? [a, b, b + 1, a, b + 1, a + 1] : [a, b + 1, b, a, a + 1, b + 1]));
    }
  return out;
}

/** A row of teeth as a curved band. `lower` is carried by the jaw. */
export function teeth(lower: boolean): Cards {
  const tooth = (i: number) => Math.abs(Math.sin(i * 1.57)) * 0.5;
  return archBand(
    (i) =>
      lower
        ? [
            [40.5, 0],
            [44.8, 0.7 + tooth(i) * 0.4],
            [45.2, -1.6],
            [41, -3],
          ]
        : [
            [54, 0],
            [46.8, 0.9 + tooth(i) * 0.4],
            [46.4, -1.6],
            [53, -3.5],
          ],
    lower,
    (i, k) => [i / ACROSS, (lower ? 0.5 : 0) + (k / 3) * 0.5],
  );
}

/** The gum that a row of teeth stands in, scalloped between them. */
export function gums(lower: boolean): Cards {
  const dip = (i: number) => (i % 2 ? 0.6 : -0.3);
  return archBand(
    (i) =>
      lower
        ? [
            [36.5, 0.6],
            [39.5, 1.5],
            [41.4 + dip(i), 0.9],
            [41.6 + dip(i), -3.6],
            [37, -4.5],
          ]
        : [
            [57.5, 0.6],
            [55, 1.6],
            [52.4 - dip(i), 1.1],
            [52.2 - dip(i), -4],
            [57, -5],
          ],
    lower,
    (i, k, last) => [i / ACROSS, k / last],
  );
}

/** A tongue lying behind the lower teeth: broad at its root, round at the tip, a furrow along it. @param rings along it */
export function tongue(rings: number): Cards {
  const around = rings,
    out: Cards = { positions: [], triangles: [], uv: [] };
  for (let j = 0; j <= rings; j++)
    for (let i = 0; i <= around; i++) {
      // From the root (0) to the tip (1); the rings close at both ends.
      const t = j / rings,
        a = (2 * Math.PI * i) / around,
        wide =
          14.5 * Math.min(1, (t * 5) ** 0.5) * Math.max(0, 1 - ((t - 0.35) / 0.65) ** 2 * (t > 0.35 ? 1 : 0)) ** 0.5,
        thick = 4.6 * Math.min(1, (t * 5) ** 0.5) * Math.max(0, 1 - t ** 4) ** 0.5;
      const x = wide * Math.cos(a),
        up = thick * Math.sin(a),
        z = 46 + 31 * t;
      const y = 41.2 + up + 2.4 * Math.sin(Math.PI * Math.min(1, t * 1.1)) - (up > 0 ? 1.1 * bell(x, 3) : 0);
      out.positions.push(...fromHead([x, y, z]));
      out.uv.push(i / around, t);
    }
  for (let j = 0; j < rings; j++)
    for (let i = 0; i < around; i++) {
      const a = j * (around + 1) + i,
        b = a + 1,
        c = b + around + 1,
        d = a + around + 1;
      out.triangles.push(a, c, d, a, b, c);
    }
  return out;
}
