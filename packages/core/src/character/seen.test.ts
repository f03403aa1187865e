import { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { seenShares } from './seen.ts';

/** A box about a place, wound to be seen from outside; each side cut into n × n squares. */
function box(
  document: Document,
  name: string,
  half: number,
  at: [number, number, number] = [0, 0, 0],
  options: { open?: boolean; n?: number; material?: string } = {},
): void {
  const { open = false, n = 6 } = options,
    positions: number[] = [],
    indices: number[] = [];
  for (let axis = 0; axis < 3; axis++)
    for (const sign of [1, -1]) {
      if (open && axis === 1 && sign === 1) continue;
      const first = positions.length / 3;
      for (let j = 0; j <= n; j++)
        for (let i = 0; i <= n; i++) {
          const p = [0, 0, 0];
          p[axis] = sign * half;
          p[(axis + 1) % 3] = (i / n - 0.5) * 2 * half;
          p[(axis + 2) % 3] = (j / n - 0.5) * 2 * half;
          positions.push(p[0] + at[0], p[1] + at[1], p[2] + at[2]);
        }
      for (let j = 0; j < n; j++)
        for (let i = 0; i < n; i++) {
          const a = first + j * (n + 1) + i,
            b = a + 1,
            c = b + n + 1,
            d = a + n + 1;
          indices.push(...(sign > 0 ? [a, b, c, a, c, d] : [a, c, b, a, d, c]));
        }
    }
  const prim = document
    .createPrimitive()
    .setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(Float32Array.from(positions)))
    .setIndices(document.createAccessor().setType('SCALAR').setArray(Uint16Array.from(indices)));
  prim.setMaterial(document.createMaterial(options.material ?? name));
  const node = document.createNode(name).setMesh(document.createMesh(name).addPrimitive(prim));
  (document.getRoot().listScenes()[0] ?? document.createScene()).addChild(node);
}
const made = (build: (document: Document) => void) => {
  const document = new Document();
  document.createBuffer();
  build(document);
  return seenShares(document);
};

describe('seenShares', () => {
  it('a box alone is seen whole', () => {
    expect([...made((d) => box(d, 'Box', 0.5)).values()]).toEqual([1]);
  });
  it('a box within a closed one is not seen at all, and the outer one wholly', () => {
    expect([
      ...made((d) => {
        box(d, 'Outer', 0.5);
        box(d, 'Inner', 0.3);
      }).values(),
    ]).toEqual([1, 0]);
  });
  it('the order of parts changes nothing', () => {
    expect([
      ...made((d) => {
        box(d, 'Inner', 0.3);
        box(d, 'Outer', 0.5);
      }).values(),
    ]).toEqual([0, 1]);
  });
  it('through an open lid a little of the inner one shows', () => {
    const inner = [
      ...made((d) => {
        box(d, 'Outer', 0.5, [0, 0, 0], { open: true });
        box(d, 'Inner', 0.3);
      }).values(),
    ][1];
    expect(inner).toBeGreaterThan(0.05);
    expect(inner).toBeLessThan(0.5);
  });
  it('what is seen through hides nothing', () => {
    expect(
      [
        ...made((d) => {
          box(d, 'Lens', 0.5, [0, 0, 0], { material: 'Cornea' });
          box(d, 'Eye', 0.3);
        }).values(),
      ][1],
    ).toBe(1);
  });
  it('two boxes beside each other hide a part of each other, alike', () => {
    const [a, b] = made((d) => {
      box(d, 'A', 0.3, [-0.31, 0, 0]);
      box(d, 'B', 0.3, [0.31, 0, 0]);
    }).values();
    expect(a).toBe(b);
    expect(a).toBeGreaterThan(0.6);
    expect(a).toBeLessThan(0.95);
  });
  it('many small faces count like few large ones', () => {
    expect([
      ...made((d) => {
        box(d, 'Outer', 0.5, [0, 0, 0], { n: 60 });
        box(d, 'Inner', 0.3, [0, 0, 0], { n: 60 });
      }).values(),
    ]).toEqual([1, 0]);
  });
  it('nothing at all is nothing seen', () => {
    expect(made(() => {}).size).toBe(0);
  });
});
