import { describe, expect, it } from 'vitest';
import { EXPRESSIONS } from './expressions.ts';
import { buildPerson, type Figure } from './figure.ts';
import { buildHead, TAG, type Head } from './head/build.ts';
import { headLayout } from './head/layout.ts';
import { paintHand } from './paint/skin.ts';
import { fingerPoint, HAND } from './body/joints.ts';
import { PEOPLE } from './people.ts';

const layout = headLayout(1.62);
const people = PEOPLE.map((person) => [person.name, person] as const);
const changeOf = (name: string) => EXPRESSIONS.find((entry) => entry.name === name)?.change ?? {};
const built = new Map<string, Figure>();
const figureOf = (name: string): Figure => { let figure = built.get(name); if (!figure) { figure = buildPerson(people.find(([title]) => title === name)?.[1] as (typeof PEOPLE)[number], { coarse: 14, progress() {} }); built.set(name, figure); } return figure; };

/** The widest the lips stand apart, millimetres, at the same place across the mouth. */
function lipGap(head: Head): number {
  // The innermost lip ring is the one that the bag hangs on.
  const inner = new Set<number>();
  for (const quad of head.quads) if (quad.some((i) => head.tag[i] === TAG.mouth)) for (const i of quad) if (head.tag[i] === TAG.lip) inner.add(i);
  const points = [...inner].map((i) => head.positions[i]), rows = new Map<number, number[]>();
  for (const [x, y] of points) { const key = Math.round(x * 5) / 5; rows.set(key, [...(rows.get(key) ?? []), y]); }
  const spread = [...rows].filter(([x, ys]) => Math.abs(x) < 20 && ys.length > 1).map(([, ys]) => Math.max(...ys) - Math.min(...ys));
  return Math.max(...spread);
}

describe.each(people)('the head of the %s', (_name, person) => {
  const head = buildHead(layout, person.traits);
  it('keeps its lips together at rest, and parts them when the jaw opens', () => {
    expect(lipGap(head)).toBeLessThan(0.6);
    expect(lipGap(buildHead(layout, { ...person.traits, ...changeOf('jaw_open') }))).toBeGreaterThan(12);
  });
  it('has no face without an area and few slivers', () => {
    let slivers = 0;
    for (const quad of head.quads) {
      const [a, b, c] = [0, 1, 2].map((k) => head.positions[quad[k]]), u = b.map((x, k) => x - a[k]), v = c.map((x, k) => x - a[k]);
      const area = Math.hypot(u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]) / 2, longest = Math.max(Math.hypot(...u), Math.hypot(...v), Math.hypot(...b.map((x, k) => x - c[k])));
      if (area < 0.01 * longest ** 2) slivers++;
    }
    expect(slivers / head.quads.length).toBeLessThan(0.02);
  });
  it('is closed but for the neck: every inner edge has two faces', () => {
    const edges = new Map<string, number>();
    for (const quad of head.quads) for (let k = 0; k < 4; k++) { const [a, b] = [quad[k], quad[(k + 1) % 4]]; if (a !== b) { const name = a < b ? `${a} ${b}` : `${b} ${a}`; edges.set(name, (edges.get(name) ?? 0) + 1); } }
    expect([...edges.values()].filter((n) => n > 2).length).toBe(0);
    const open = [...edges].filter(([, n]) => n === 1).flatMap(([name]) => name.split(' ').map(Number));
    // What is open lies at the foot of the neck, under the eyelids, or is a point: the crown, where all columns meet.
    const crown = Math.max(...head.positions.map((p) => p[1]));
    const stray = open.filter((i) => head.positions[i][1] > -40 && head.positions[i][1] < crown - 0.5 && head.tag[i] !== TAG.lid && head.lash[i] === 0 && Math.abs(head.positions[i][1] - 112) > 25);
    expect(stray.map((i) => head.positions[i].map(Math.round)).slice(0, 3)).toEqual([]);
  });
});

describe.each(people)('the texture places of the %s', (name) => {
  it('keep the inside of the mouth away from the face', () => {
    const { surface, extra } = figureOf(name).parts[0], mouth = extra[2];
    let inside = 0;
    for (let t = 0; t < surface.indices.length; t += 3) {
      const corners = [0, 1, 2].map((k) => surface.indices[t + k]);
      if (!corners.some((v) => mouth[v] > 0)) continue;
      inside++;
      for (const v of corners) { expect(surface.uv[v * 2]).toBeGreaterThan(0.66); expect(surface.uv[v * 2 + 1]).toBeGreaterThan(0.82); }
    }
    expect(inside).toBeGreaterThan(20);
  });
  it('stay within their tile, and both sides of a seam are one place with one normal', () => {
    for (const part of figureOf(name).parts) {
      const { uv, positions, normals, origin } = part.surface as typeof part.surface & { normals?: Float32Array };
      for (const value of uv) { expect(value, part.name).toBeGreaterThanOrEqual(-1e-6); expect(value, part.name).toBeLessThanOrEqual(1 + 1e-6); }
      const first = new Map<number, number>();
      origin.forEach((point, v) => {
        const other = first.get(point);
        if (other === undefined) { first.set(point, v); return; }
        for (let k = 0; k < 3; k++) { expect(positions[v * 3 + k]).toBe(positions[other * 3 + k]); if (normals) expect(normals[v * 3 + k]).toBeCloseTo(normals[other * 3 + k], 5); }
        for (const delta of part.morphs.values()) for (let k = 0; k < 3; k++) expect(delta[v * 3 + k]).toBe(delta[other * 3 + k]);
      });
    }
  });
});

describe('nails', () => {
  const paint = paintHand(PEOPLE[0].tone), at = (q: readonly number[]) => paint({ x: q[0], y: q[1], z: q[2], u: 0, v: 0, extra: [] });
  const bright = (c: readonly number[]) => c[0] + c[1] + c[2];
  it('lie on the backs of the finger tips of both hands and nowhere else', () => {
    for (const finger of ['index', 'middle', 'ring', 'little']) {
      const tip = fingerPoint(finger, 4), before = fingerPoint(finger, 3), on = (share: number, out: number) => tip.map((x, k) => x + (before[k] - x) * share - HAND.palm[k] * out);
      const nail = at(on(0.2, 0.006)), pad = at(on(0.2, -0.006)), knuckle = at(on(1.2, 0.006));
      expect(Math.abs(bright(nail) - bright(pad)), finger).toBeGreaterThan(0.01);
      expect(Math.abs(bright(knuckle) - bright(pad)), finger).toBeLessThan(0.2);
      const [x, ...rest] = on(0.2, 0.006);
      expect(Math.abs(bright(at([-x, ...rest])) - bright(nail))).toBeLessThan(0.08);
    }
  });
});
