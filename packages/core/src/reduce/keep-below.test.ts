import { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { floatsOf, listParts, trianglesOf } from '../character/index.ts';
import { addPart } from '../testing/add-part.ts';
import { keepBelow, lookUnderCaps } from './keep-below.ts';

const R = 0.09,
  /** How far the scalp lies above the skin. */
  OFF = 0.0007;

/** A ball of rings and spokes about an axis, down to an angle from its pole. */
function ball(radius: number, rings: number, spokes: number, down: number, turn: number) {
  const positions: number[] = [],
    indices: number[] = [];
  for (let i = 0; i <= rings; i++)
    for (let j = 0; j < spokes; j++) {
      const a = (down * i) / rings,
        b = (2 * Math.PI * (j + turn)) / spokes;
      positions.push(radius * Math.sin(a) * Math.sin(b), radius * Math.cos(a), radius * Math.sin(a) * Math.cos(b));
      const at = i * spokes + j,
        next = i * spokes + ((j + 1) % spokes);
      if (i < rings) indices.push(at, at + spokes, next, next, at + spokes, next + spokes);
    }
  return { positions, indices };
}

/** A skull of skin and the scalp on its upper half. */
function skull(skin: ReturnType<typeof ball>, scalp: ReturnType<typeof ball>): Document {
  const document = new Document();
  document.createBuffer();
  addPart(document, 'Head', 'Skin', skin);
  addPart(document, 'Scalp', 'Scalp', scalp);
  return document;
}

type Vector = [number, number, number];
const cross = (a: Vector, b: Vector): Vector => [
    a[1] * b[2] - a[2] * b[1],
    a[2] * b[0] - a[0] * b[2],
    a[0] * b[1] - a[1] * b[0],
  ],
  dot = (a: Vector, b: Vector) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2],
  less = (a: Vector, b: Vector): Vector => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];

function facesOf(document: Document, name: string): Vector[][] {
  const part = listParts(document).find((one) => one.name === name);
  if (!part) throw new Error(name);
  const p = floatsOf(part.prim.getAttribute('POSITION') as never),
    index = trianglesOf(part.prim),
    corner = (v: number): Vector => [p[v * 3], p[v * 3 + 1], p[v * 3 + 2]];
  return Array.from({ length: index.length / 3 }, (_, t) => [0, 1, 2].map((k) => corner(index[t * 3 + k])));
}

/** How far faces reach from the middle in a direction (Möller & Trumbore 1997). */
function reach(faces: readonly Vector[][], d: Vector): number {
  let far = 0;
  for (const [a, b, c] of faces) {
    const u = less(b, a),
      v = less(c, a),
      h = cross(d, v),
      det = dot(u, h);
    if (Math.abs(det) < 1e-14) continue;
    const s: Vector = [-a[0], -a[1], -a[2]],
      y = dot(s, h) / det,
      q = cross(s, u),
      z = dot(d, q) / det;
    if (y >= -1e-9 && z >= -1e-9 && y + z <= 1 + 1e-9) far = Math.max(far, dot(v, q) / det);
  }
  return far;
}

const PLACES = 400;
/** Places of the upper half in which the skin comes through the scalp. */
function through(document: Document): number {
  const skin = facesOf(document, 'Head'),
    scalp = facesOf(document, 'Scalp');
  let count = 0;
  for (let i = 0; i < PLACES; i++) {
    // Sunflower seeds over the cap, a little inside its border.
    const y = 1 - (0.78 * (i + 0.5)) / PLACES,
      a = i * 2.399963,
      r = Math.sqrt(1 - y * y),
      d: Vector = [r * Math.sin(a), y, r * Math.cos(a)];
    if (reach(skin, d) > reach(scalp, d)) count++;
  }
  return count;
}

const fine = () => skull(ball(R, 40, 60, Math.PI, 0), ball(R + OFF, 20, 60, Math.PI / 2, 0)),
  coarse = () => skull(ball(R, 14, 18, Math.PI, 0.3), ball(R + OFF, 5, 11, Math.PI / 2, 0));

describe('skin under a scalp', () => {
  it('stays below it when both have fewer triangles', () => {
    const before = lookUnderCaps(fine()),
      document = coarse();
    expect(before).not.toBeNull();
    expect(through(fine())).toBe(0);
    const bare = through(document);
    expect(bare).toBeGreaterThan(70);
    if (!before) return;
    const told = keepBelow(document, before);
    expect(through(document)).toBeLessThan(bare * 0.03);
    expect(told.vertices).toBeGreaterThan(20);
    expect(told.mostMm).toBeLessThanOrEqual(4.0001);
  });
  it('is moved alike on a figure that stands elsewhere than its mesh has it', () => {
    const lifted = (document: Document) => {
        for (const node of document.getRoot().listNodes()) node.setTranslation([0.1, 1.5, 0]);
        return document;
      },
      before = lookUnderCaps(lifted(fine())),
      document = lifted(coarse());
    if (!before) throw new Error('there is a scalp');
    keepBelow(document, before);
    for (const node of document.getRoot().listNodes()) node.setTranslation([0, 0, 0]);
    expect(through(document)).toBeLessThan(4);
  });
  it('moves nothing that can be seen, and nothing where nothing comes through', () => {
    const before = lookUnderCaps(fine()),
      document = coarse(),
      [head] = listParts(document),
      was = floatsOf(head.prim.getAttribute('POSITION') as never).slice();
    if (!before) throw new Error('there is a scalp');
    keepBelow(document, before);
    const now = floatsOf(listParts(document)[0].prim.getAttribute('POSITION') as never);
    for (let v = 0; v < was.length; v += 3)
      if (was[v + 1] < -0.005) expect([...now.subarray(v, v + 3)]).toEqual([...was.subarray(v, v + 3)]);
    const same = fine();
    expect(keepBelow(same, before)).toEqual({ vertices: 0, mostMm: 0 });
  });
  it('is looked at only where there is a scalp', () => {
    const document = fine();
    for (const material of document.getRoot().listMaterials())
      if (material.getName() === 'Scalp') material.setName('Hat');
    document.getRoot().listNodes()[1].setName('Hat');
    expect(lookUnderCaps(document)).toBeNull();
  });
});
