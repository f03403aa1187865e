import { bell, step, toPolyline, type Point } from './curves.ts';
import type { Traits } from './traits.ts';

/** One sculpting stroke: a displacement along the base normal that fades with distance; mirrored. */
type Stroke =
  | { kind: 'face-blob'; at: [number, number]; radius: [number, number]; amount: number; turn: number }
  | { kind: 'blob'; at: Point; radius: number; amount: number }
  | { kind: 'face-line'; line: number[][]; radius: number; amount: number; tapered: boolean }
  | { kind: 'line'; line: number[][]; radius: number; amount: number; tapered: boolean }
  | { kind: 'fold'; line: number[][]; radius: number; amount: number; bulge: number; bulgeRadius: number };

/** The anatomy of a face as about forty strokes. */
export function facialStrokes(p: Traits): Stroke[] {
  const out: Stroke[] = [];
  const blob = (at: [number, number], radius: [number, number], amount: number, turn = 0) =>
    out.push({ kind: 'face-blob', at, radius, amount, turn });
  const blob3 = (at: Point, radius: number, amount: number) => out.push({ kind: 'blob', at, radius, amount });
  const line = (points: number[][], radius: number, amount: number, tapered = true) =>
    out.push({ kind: 'face-line', line: points, radius, amount, tapered });
  const line3 = (points: number[][], radius: number, amount: number, tapered = true) =>
    out.push({ kind: 'line', line: points, radius, amount, tapered });
  const by = p.browY;
  // brow and socket
  line(
    [
      [7, 128 + by],
      [15, 129.5 + by],
      [27, 132 + by],
      [39, 132 + by],
      [50, 125 + by],
    ],
    8.5,
    1.6 * p.brow,
  );
  blob([0, 129 + by], [13, 9], 0.9 * p.glab * p.brow);
  blob([0, 123], [10, 6], 1.4);
  blob([15, 119], [6.5, 8.5], -1.5 * p.socket, 0.2);
  line(
    [
      [16, 122.5],
      [26, 125],
      [38, 124.5],
      [47, 119.5],
    ],
    4.5,
    -1.6 * p.socket,
  );
  blob([44, 122], [9, 6], 1.2 + p.hood * 1.5);
  blob([49, 110], [5, 9], -0.6);
  line(
    [
      [17, 108],
      [23, 102.5],
      [31, 99],
      [38, 98],
    ],
    3.6,
    -1.3 * p.tear,
  );
  if (p.eyebag)
    line(
      [
        [18, 108],
        [26, 104],
        [36, 103.5],
        [46, 108],
      ],
      4.2,
      1.3 * p.eyebag,
    );
  // cheek
  blob([46, 93], [15, 9], 2.2 * p.cheekbone, -0.35);
  blob3([62, 97, 38], 16, 2 * p.cheekbone);
  blob([33, 86], [14, 12], 1.2 + 1.2 * p.cheekFat);
  blob([42, 62], [15, 18], -1 + 3.6 * p.cheekFat);
  blob([21, 80], [6, 8], -1);
  out.push({
    kind: 'fold',
    line: [
      [18.5, 79],
      [22.5, 71],
      [27, 63],
      [30.5, 54],
      [32, 46],
    ],
    radius: 3.2,
    amount: -1.2 * p.nasolabial,
    bulge: 1.6 * p.nasolabial,
    bulgeRadius: 8,
  });
  if (p.marion) {
    line(
      [
        [27, 45],
        [29, 38],
        [31, 30],
        [31, 20],
      ],
      3.2,
      -1.2 * p.marion,
    );
    blob([37, 34], [6, 11], 1.3 * p.marion);
  }
  // mouth's surroundings
  blob([0, 55], [20, 16], 3.4);
  blob([0, 38], [18, 11], 2);
  blob([27, 47.5], [4.5, 5], -1);
  blob([25.8, 46.8], [2.6, 2.6], -1);
  blob([33.5, 46], [6, 8], 0.9);
  blob([27, 39], [7, 5], -0.9);
  line(
    [
      [0, 67],
      [0, 61],
      [0, 55],
    ],
    3,
    -0.8 * p.philtrum,
    false,
  );
  line(
    [
      [4.2, 67],
      [4.8, 61],
      [5.5, 56],
    ],
    2.6,
    0.45 * p.philtrum,
    false,
  );
  line(
    [
      [0, 29.5],
      [10, 29],
      [18, 31],
    ],
    4.2,
    -1.7,
    false,
  );
  blob([0, 12], [13, 9.5], 2.6 * p.chin);
  blob([9, 9], [7, 7], 0.8 * p.chin);
  blob([20, 22], [8, 10], -0.9);
  // jaw and sides
  blob3([54, 36, 16], 17, 1.6 * p.jaw * p.jaw);
  blob3([49, 24, 24], 12, 0.8);
  line3(
    [
      [18, 1, 72],
      [33, 8, 55],
      [45, 18, 32],
      [52, 28, 8],
    ],
    5,
    1,
  );
  if (p.jowl) {
    blob3([33, 20, 66], 12, 3.2 * p.jowl);
    blob3([22, 12, 78], 7, -1.2 * p.jowl);
  }
  if (p.submental) {
    blob3([0, -8, 58], 22, 9 * p.submental);
    blob3([20, -4, 48], 18, 6 * p.submental);
    blob3([46, 8, 16], 20, 5 * p.submental);
  }
  blob3([62, 140, 46], 19, -2.6 * p.temple);
  line3(
    [
      [50, 131, 64],
      [55, 145, 56],
      [55, 165, 50],
    ],
    10,
    0.5 * p.temple,
  );
  blob3([71, 92, 14], 12, -1);
  blob3([60, 60, 36], 22, -0.6 + 2.8 * p.cheekFat);
  blob3([52, 34, 34], 18, Math.max(0, p.cheekFat));
  blob([25, 160], [18, 14], 1 + p.forehead);
  blob([0, 158], [34, 26], p.fbulge);
  blob([0, 144], [26, 7], -0.7);
  // neck
  line3(
    [
      [60, 62, -26],
      [52, 34, -10],
      [40, 0, 6],
      [27, -40, 20],
      [11, -84, 24],
    ],
    8.5,
    4 * p.scm,
    false,
  );
  line3(
    [
      [33, 0, 36],
      [20, -35, 34],
      [8, -75, 25],
    ],
    8,
    -1.6 * p.scm,
  );
  blob3([0, -32, 36], 9, 4.5 * p.larynx);
  line3(
    [
      [0, -40, 34],
      [0, -84, 24],
    ],
    8,
    1.5,
    false,
  );
  line3(
    [
      [26, -12, 33],
      [0, -12, 42],
      [-26, -12, 33],
    ],
    6,
    -0.8,
    false,
  );
  if (p.wrinkle) {
    for (const [y, a] of [
      [150, 0.7],
      [159, 0.8],
      [168, 0.6],
    ])
      line(
        [
          [0, y - 1.5],
          [15, y + 0.5],
          [30, y + 1],
          [44, y - 3],
        ],
        1.9,
        -a * 0.8 * p.wrinkle,
      );
    line(
      [
        [5, 141],
        [5.5, 134],
        [4, 125],
      ],
      2,
      -0.8 * p.wrinkle,
    );
    for (const [a, b] of [
      [113, 114],
      [111, 108],
      [115.5, 120],
    ])
      line(
        [
          [51, a],
          [57, (a + b) / 2],
          [62, b],
        ],
        1.2,
        -0.7 * p.wrinkle,
      );
    line3(
      [
        [-46, -26, 17],
        [-20, -34, 34],
        [0, -38, 40],
        [20, -34, 34],
        [46, -26, 17],
      ],
      2,
      -p.wrinkle,
      false,
    );
  }
  return out;
}

const taper = (t: number): number => step(0, 0.25, t) * (1 - step(0.75, 1, t));

/** How far the strokes push the base surface out at a point. */
export function strokeHeight(strokes: readonly Stroke[], point: Point): number {
  const ax = Math.abs(point[0]);
  const front = step(0, 30, point[2]);
  const q = [ax, point[1], point[2]];
  let height = 0;
  for (const s of strokes) {
    if (s.kind === 'face-blob') {
      if (!front) continue;
      let dx = ax - s.at[0],
        dy = point[1] - s.at[1];
      if (s.turn) {
        const c = Math.cos(s.turn),
          n = Math.sin(s.turn);
        [dx, dy] = [dx * c + dy * n, -dx * n + dy * c];
      }
      const e = (dx / s.radius[0]) ** 2 + (dy / s.radius[1]) ** 2;
      if (e < 9) height += s.amount * Math.exp(-e) * front;
    } else if (s.kind === 'blob') {
      const e = ((ax - s.at[0]) ** 2 + (point[1] - s.at[1]) ** 2 + (point[2] - s.at[2]) ** 2) / (s.radius * s.radius);
      if (e < 9) height += s.amount * Math.exp(-e);
    } else if (s.kind === 'line') {
      const [d, t] = toPolyline(q, s.line, 3);
      if (d < 30) height += s.amount * bell(d, s.radius) * (s.tapered ? taper(t) : 1);
    } else {
      if (!front) continue;
      const [d, t, side] = toPolyline(q, s.line, 2);
      if (d > 30) continue;
      if (s.kind === 'face-line') {
        height += s.amount * bell(d, s.radius) * (s.tapered ? taper(t) : 1) * front;
        continue;
      }
      const fade = step(0, 0.2, t) * (1 - step(0.6, 1, t) * 0.8);
      height += s.amount * bell(d, s.radius) * fade * front;
      if (side > 0)
        height +=
          s.bulge * bell(d - s.bulgeRadius * 0.75, s.bulgeRadius * 0.75) * step(0, s.radius * 1.2, d) * fade * front;
    }
  }
  return height;
}
