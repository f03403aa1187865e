import { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { floatsOf, listParts, trianglesOf } from '../character/index.ts';
import { addPart } from '../testing/add-part.ts';
import { liftStrands, lookOnGround } from './lift-strands.ts';

const R = 0.09,
  /** How far cards lie above the skull, and how wide they are. */
  OFF = 0.002,
  WIDE = 0.006;

/** A skull as a ball, fine enough that its faces lie within a twentieth of a millimetre of it. */
function ball(rings = 90, spokes = 120) {
  const positions: number[] = [],
    indices: number[] = [];
  for (let i = 0; i <= rings; i++)
    for (let j = 0; j < spokes; j++) {
      const a = (Math.PI * i) / rings,
        b = (2 * Math.PI * j) / spokes;
      positions.push(R * Math.sin(a) * Math.sin(b), R * Math.cos(a), R * Math.sin(a) * Math.cos(b));
      const at = i * spokes + j,
        next = i * spokes + ((j + 1) % spokes);
      if (i < rings) indices.push(at, at + spokes, next, next, at + spokes, next + spokes);
    }
  return { positions, indices };
}

/** Cards over the skull from front to back, `segments` each, so far off. */
function cards(segments: number, off: (along: number) => number) {
  const positions: number[] = [],
    indices: number[] = [];
  for (let card = 0; card < 7; card++) {
    const lean = (card - 3) * 0.3;
    for (let s = 0; s <= segments; s++) {
      const a = -1.2 + (2.4 * s) / segments,
        first = positions.length / 3;
      for (const edge of [-1, 1]) {
        const far = R + off(s / segments),
          y = far * Math.cos(a),
          x = (edge * WIDE) / 2;
        positions.push(
          x * Math.cos(lean) + y * Math.sin(lean),
          y * Math.cos(lean) - x * Math.sin(lean),
          -far * Math.sin(a),
        );
      }
      if (s < segments) indices.push(first, first + 2, first + 1, first + 1, first + 2, first + 3);
    }
  }
  return { positions, indices };
}

function haired(segments: number, off: (along: number) => number = () => OFF): Document {
  const document = new Document();
  document.createBuffer();
  addPart(document, 'Head', 'Skin', ball());
  addPart(document, 'Hair', 'Hair', cards(segments, off));
  return document;
}

const hairOf = (document: Document) => {
  const part = listParts(document).find(({ name }) => name === 'Hair');
  if (!part) throw new Error('there is hair');
  return { at: floatsOf(part.prim.getAttribute('POSITION') as never), index: trianglesOf(part.prim) };
};

/** Least distance of hair from the middle of the ball, in many places of each triangle. */
function lowest(document: Document): number {
  const { at, index } = hairOf(document);
  let least = Infinity;
  for (let t = 0; t < index.length; t += 3)
    for (let i = 0; i <= 8; i++)
      for (let j = 0; j <= 8 - i; j++) {
        const shares = [i / 8, j / 8, 1 - (i + j) / 8],
          place = [0, 1, 2].map((k) => shares.reduce((sum, share, c) => sum + share * at[index[t + c] * 3 + k], 0));
        least = Math.min(least, Math.hypot(...place));
      }
  return least;
}

const before = (document = haired(24)) => {
  const found = lookOnGround(document);
  if (!found) throw new Error('hair lies on the head');
  return found;
};

describe('strands with fewer segments', () => {
  it('are lifted off the head that they would cut into', () => {
    // A chord over 0.6 rad lies R (1 − cos 0.3) = 4 mm under its ends; 2 mm of that are free.
    const document = haired(4),
      deep = R - lowest(document);
    expect(deep).toBeGreaterThan(1.5e-3);
    const told = liftStrands(document, before());
    expect(R - lowest(document)).toBeLessThan(2e-4);
    expect(told.vertices).toBeGreaterThan(20);
    expect(told.mostMm).toBeGreaterThan(deep * 1000);
    expect(told.mostMm).toBeLessThan(4.0001);
  });
  it('leave the skin where it is, also where they begin at one of its vertices', () => {
    const document = haired(4),
      [head, hair] = listParts(document),
      was = floatsOf(head.prim.getAttribute('POSITION') as never).slice(),
      strands = floatsOf(hair.prim.getAttribute('POSITION') as never).slice();
    // The middle card's two corners on the crown come to one of the ball's own, its pole.
    for (let v = 0; v < strands.length; v += 3)
      if (Math.abs(strands[v]) < 0.004 && strands[v + 1] > R && Math.abs(strands[v + 2]) < 1e-6)
        strands.set([0, R, 0], v);
    hair.prim.setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(strands.slice()));
    liftStrands(document, before());
    expect(floatsOf(listParts(document)[0].prim.getAttribute('POSITION') as never)).toEqual(was);
    const now = hairOf(document).at;
    let poles = 0;
    for (let v = 0; v < strands.length; v += 3) {
      if (strands[v] !== 0 || strands[v + 1] !== Math.fround(R) || strands[v + 2] !== 0) continue;
      poles++;
      expect(now[v + 1]).toBeGreaterThan(R + 1e-4);
    }
    expect(poles).toBe(2);
  });
  it('stay where they are as long as they clear what is under them', () => {
    const document = haired(8);
    expect(liftStrands(document, before())).toEqual({ vertices: 0, mostMm: 0 });
  });
  it('stay where they lay under the skin before: roots, and what runs through an ear', () => {
    const rooted = (along: number) => (along < 0.3 ? -0.003 : OFF),
      document = haired(4, rooted),
      was = hairOf(document).at.slice();
    liftStrands(document, before(haired(24, rooted)));
    const { at } = hairOf(document);
    let moved = 0;
    for (let v = 0; v < at.length / 3; v++) {
      const by = Math.hypot(...[0, 1, 2].map((k) => at[v * 3 + k] - was[v * 3 + k]));
      if (v % 10 < 2) expect(by).toBeLessThan(1e-3);
      moved = Math.max(moved, by);
    }
    expect(moved).toBeGreaterThan(1e-3);
  });
  it('are left alone where nothing was reduced, and where none lie on anything', () => {
    const document = haired(24);
    expect(liftStrands(document, before())).toEqual({ vertices: 0, mostMm: 0 });
    const bald = new Document();
    bald.createBuffer();
    addPart(bald, 'Head', 'Skin', ball(12, 12));
    expect(lookOnGround(bald)).toBeNull();
  });
});
