import { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { floatsOf, listParts } from '../character/index.ts';
import { addPart, vec3 } from '../testing/add-part.ts';
import { liftLids } from './lids.ts';

const R = 0.012,
  /** How far up the lid stands open. */
  UP = 1.3 * R;
/** An eyeball about the origin, and before it a lid of a few large triangles: raised at rest, over the ball with `blink`. */
function eyed({ columns = 4, rows = 2, gap = 1.02, behind = false } = {}): Document {
  const document = new Document();
  document.createBuffer();
  const ball: number[] = [],
    faces: number[] = [];
  for (let i = 0; i <= 16; i++)
    for (let j = 0; j <= 24; j++) {
      const [a, b] = [(Math.PI * i) / 16, (2 * Math.PI * (j % 24)) / 24];
      ball.push(R * Math.sin(a) * Math.sin(b), R * Math.cos(a), R * Math.sin(a) * Math.cos(b));
      if (i < 16 && j < 24)
        faces.push(i * 25 + j, i * 25 + 25 + j, i * 25 + j + 1, i * 25 + j + 1, i * 25 + 25 + j, i * 25 + 26 + j);
    }
  addPart(document, 'Eyes', 'Eye', { positions: ball, indices: faces });
  // Corners of the lid lie a little before the ball, so that its triangles between them cut through it.
  const lid: number[] = [],
    down: number[] = [],
    sheet: number[] = [];
  for (let r = 0; r <= rows; r++)
    for (let c = 0; c <= columns; c++) {
      const x = ((2 * c) / columns - 1) * 0.7 * R,
        y = ((2 * r) / rows - 1) * 0.5 * R,
        z = Math.sqrt(Math.max(0, (R * gap) ** 2 - x * x - y * y));
      lid.push(x, y + UP, behind ? -z : z);
      down.push(0, -UP, 0);
    }
  for (let r = 0; r < rows; r++)
    for (let c = 0; c < columns; c++) {
      const i = r * (columns + 1) + c;
      sheet.push(i, i + 1, i + columns + 2, i, i + columns + 2, i + columns + 1);
    }
  const prim = addPart(document, 'Head', 'Skin', { positions: lid, indices: sheet });
  prim.addTarget(document.createPrimitiveTarget('blink').setAttribute('POSITION', vec3(document, down)));
  prim.listParents().forEach((parent) => {
    if (parent.propertyType === 'Mesh') parent.setExtras({ targetNames: ['blink'] });
  });
  return document;
}

/** How deep the lid lies in the ball at worst when it is closed: a hundred places on every triangle. */
function deepest(document: Document): number {
  const head = listParts(document).find(({ name }) => name === 'Head') as ReturnType<typeof listParts>[number],
    rest = floatsOf(head.prim.getAttribute('POSITION') as never),
    delta = floatsOf(head.prim.listTargets()[0].getAttribute('POSITION') as never),
    indices = head.prim.getIndices()?.getArray() as Uint16Array;
  let worst = 0;
  for (let t = 0; t < indices.length; t += 3)
    for (let a = 0; a <= 12; a++)
      for (let b = 0; a + b <= 12; b++) {
        const share = [a / 12, b / 12, 1 - (a + b) / 12],
          p = [0, 1, 2].map((k) =>
            share.reduce((sum, s, c) => sum + s * (rest[indices[t + c] * 3 + k] + delta[indices[t + c] * 3 + k]), 0),
          );
        worst = Math.max(worst, R - Math.hypot(...p));
      }
  return worst;
}

describe('lids of few triangles', () => {
  it('are lifted off the ball where they close, and stay where they are at rest', () => {
    const document = eyed(),
      head = () => listParts(document).find(({ name }) => name === 'Head') as ReturnType<typeof listParts>[number],
      before = floatsOf(head().prim.getAttribute('POSITION') as never).slice(),
      was = deepest(document);
    expect(was).toBeGreaterThan(0.0005);
    const told = liftLids(document);
    expect(told.vertices).toBeGreaterThan(4);
    // A hundredth of a millimetre: between the places that are looked at a flat triangle bends no ball.
    expect(deepest(document)).toBeLessThan(0.15 * was);
    expect([...floatsOf(head().prim.getAttribute('POSITION') as never)]).toEqual([...before]);
    expect(told.mostMm).toBeLessThan(3 * was * 1000);
    expect(liftLids(document).mostMm).toBeLessThan(0.3 * told.mostMm);
  });
  it('that clear the ball are left as they are, and so is the back of the socket', () => {
    const fine = eyed({ columns: 24, rows: 24, gap: 1.05 }),
      delta = () => [...floatsOf(listParts(fine)[1].prim.listTargets()[0].getAttribute('POSITION') as never)],
      before = delta();
    expect(liftLids(fine)).toEqual({ vertices: 0, mostMm: 0 });
    expect(delta()).toEqual(before);
    expect(liftLids(eyed({ behind: true }))).toEqual({ vertices: 0, mostMm: 0 });
    const bald = new Document();
    bald.createBuffer();
    expect(liftLids(bald)).toEqual({ vertices: 0, mostMm: 0 });
  });
});
