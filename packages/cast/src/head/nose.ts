import { len, lerp, softMin, step, type Point } from './curves.ts';
import type { Traits } from './traits.ts';

function capsule(p: readonly number[], a: Point, b: Point, r0: number, r1: number): number {
  let ab = 0,
    ap = 0;
  for (let k = 0; k < 3; k++) {
    ab += (b[k] - a[k]) ** 2;
    ap += (p[k] - a[k]) * (b[k] - a[k]);
  }
  const t = Math.max(0, Math.min(1, ap / ab));
  return len(p[0] - lerp(a[0], b[0], t), p[1] - lerp(a[1], b[1], t), p[2] - lerp(a[2], b[2], t)) - lerp(r0, r1, t);
}

function ellipsoid(p: readonly number[], c: Point, r: Point, rx = 0, ry = 0): number {
  let x = p[0] - c[0],
    y = p[1] - c[1],
    z = p[2] - c[2];
  if (ry) {
    const a = Math.cos(ry),
      b = Math.sin(ry);
    [x, z] = [x * a + z * b, -x * b + z * a];
  }
  if (rx) {
    const a = Math.cos(rx),
      b = Math.sin(rx);
    [y, z] = [y * a + z * b, -y * b + z * a];
  }
  const k0 = len(x / r[0], y / r[1], z / r[2]);
  const k1 = len(x / (r[0] * r[0]), y / (r[1] * r[1]), z / (r[2] * r[2]));
  return (k0 * (k0 - 1)) / (k1 || 1e-6);
}

/** Distance to a nose, without the face it stands on: bridge, sides, tip, wings, columella. */
export function noseDistance(p: Traits, point: readonly number[]): number {
  const q = [Math.abs(point[0]), point[1], point[2]];
  const w = p.noseW,
    out = (p.noseP - 1) * 20,
    tip = p.tipUp,
    bridge = (p.bridge - 1) * 6,
    half = 0.5 + 0.5 * w;
  const y = (at: number) => 119 + (at - 119) * p.noseL;
  let d = capsule(q, [0, y(134), 87.5 + bridge * 0.4], [0, y(104), 94 + bridge + out * 0.4], 5.6 * half, 6.2 * half);
  d = softMin(
    d,
    capsule(q, [0, y(104), 94 + bridge + out * 0.4], [0, y(86) + tip * 0.5, 102.6 + out * 0.9], 6.2 * half, 6.6 * half),
    4,
  );
  d = softMin(d, capsule(q, [5.5 * half, y(111), 83 + bridge * 0.5], [9.5 * w, y(84), 90 + out * 0.3], 5.5, 6), 8);
  d = softMin(d, ellipsoid(q, [2.6 * w, y(80.2) + tip, 107 + out], [6.4 * w, 6.6, 7.6]), 5);
  d = softMin(d, ellipsoid(q, [11.6 * w, y(77.6) + tip * 0.3, 97 + out * 0.4], [5 * w, 5.8, 9], 0.22, -0.45), 5);
  d = softMin(d, capsule(q, [6.5 * w, y(76.5) + tip, 106 + out], [12 * w, y(74.2), 98 + out * 0.4], 2.5, 2.5), 4);
  return softMin(d, capsule(q, [0, y(73.2) + tip, 108.3 + out], [0, y(69.8), 96], 2.9, 3.8), 3.5);
}

/** Throws a point of the face onto the nose along a fan of rays, so that rows of points run over it evenly. */
export function throwOntoNose(p: Traits, point: Point): Point {
  const ax = Math.abs(point[0]);
  if (ax > 26 || point[1] < 58 || point[1] > 150 || point[2] < 70) return point;
  const oy = point[1] < 92 ? lerp(point[1], 92, 0.82) : point[1];
  const origin = [point[0] * 0.5, oy, point[2] - lerp(10, 14, step(92, 70, point[1]))];
  let d = [point[0] - origin[0], point[1] - origin[1], point[2] - origin[2]];
  const length = len(d[0], d[1], d[2]);
  d = d.map((x) => x / length);
  const at = (t: number) => [origin[0] + d[0] * t, origin[1] + d[1] * t, origin[2] + d[2] * t];
  const f = (t: number) => {
    const q = at(t);
    return softMin(
      noseDistance(p, q),
      (t - length) * Math.min(1, Math.max(0.5, d[2] * 1.1)),
      lerp(3, 9, step(80, 112, q[1])),
    );
  };
  let t = length + 34,
    before = f(t);
  while (t > 0) {
    const next = t - Math.max(0.12, Math.min(before * 0.7, 2));
    const value = f(next);
    if (value < 0) {
      let inside = next,
        outside = t;
      for (let i = 0; i < 14; i++) {
        const m = (inside + outside) / 2;
        if (f(m) < 0) inside = m;
        else outside = m;
      }
      t = outside;
      break;
    }
    t = next;
    before = value;
  }
  const q = at(t);
  const blend = step(26, 22, ax) * step(58, 62, point[1]) * step(150, 126, point[1]);
  return point.map((c, k) => lerp(c, q[k], blend)) as Point;
}
