import { expect, it } from 'vitest';
import { FULL_HEAD } from './figure.ts';
import { hairOf } from './hair.ts';
import { fromHead } from './body/joints.ts';
import { buildHead } from './head/build.ts';
import { headLayout } from './head/layout.ts';

type Vector = readonly number[];
const less = (a: Vector, b: Vector) => [a[0] - b[0], a[1] - b[1], a[2] - b[2]],
  cross = (a: Vector, b: Vector) => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]],
  dot = (a: Vector, b: Vector) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];

/** Whether a ray meets a triangle (Möller & Trumbore 1997). */
function meets(from: Vector, d: Vector, [a, b, c]: readonly Vector[]): boolean {
  const u = less(b, a),
    v = less(c, a),
    h = cross(d, v),
    det = dot(u, h),
    s = less(from, a),
    y = dot(s, h) / det,
    q = cross(s, u),
    z = dot(d, q) / det;
  return y >= 0 && z >= 0 && y + z <= 1 && dot(v, q) / det > 0;
}

it('hair that is combed back covers the skull from the forehead to the knot', () => {
  const { positions, triangles } = hairOf(buildHead(headLayout(FULL_HEAD), {}), 'tied'),
    at = (v: number) => positions.slice(v * 3, v * 3 + 3),
    faces = Array.from({ length: triangles.length / 3 }, (_, t) => [0, 1, 2].map((k) => at(triangles[t * 3 + k]))),
    middle = fromHead([0, 150, -10]);
  const bare: string[] = [];
  for (let up = 30; up <= 90; up += 10)
    for (let around = 0; around < 360; around += 15) {
      const [a, b] = [(up * Math.PI) / 180, (around * Math.PI) / 180],
        d = [Math.cos(a) * Math.sin(b), Math.sin(a), Math.cos(a) * Math.cos(b)];
      if (!faces.some((face) => meets(middle, d, face))) bare.push(`${up} ${around}`);
    }
  expect(bare).toEqual([]);
});
