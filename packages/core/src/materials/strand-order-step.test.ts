import type { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { copyDocument, floatsOf, listParts, trianglesOf } from '../character/index.ts';
import { SHIPPED_TARGETS } from '../targets/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { testContext } from '../testing/context.ts';
import { strandOrderStep } from './strand-order-step.ts';

/** A figure in hair: its own body twice over, the further first, all in one mesh. */
function hairy(mode: 'BLEND' | 'MASK'): Document {
  const document = stickFigure(),
    [body] = listParts(document),
    position = body.prim.getAttribute('POSITION'),
    normal = body.prim.getAttribute('NORMAL');
  if (!position || !normal) throw new Error('a figure has both');
  const at = floatsOf(position),
    out = floatsOf(normal),
    indices = trianglesOf(body.prim),
    points = new Float32Array(at.length * 2);
  [0.03, 0.01].forEach((far, layer) => {
    at.forEach((x, i) => {
      points[layer * at.length + i] = x + far * out[i];
    });
  });
  const accessor = (type: 'VEC3' | 'SCALAR', array: Float32Array<ArrayBuffer> | Uint32Array<ArrayBuffer>) =>
    document.createAccessor().setType(type).setArray(array);
  const hair = document
    .createPrimitive()
    .setAttribute('POSITION', accessor('VEC3', points))
    .setIndices(accessor('SCALAR', Uint32Array.from([...indices, ...indices.map((i) => i + at.length / 3)])))
    .setMaterial(document.createMaterial('Hair').setAlphaMode(mode));
  document
    .getRoot()
    .listScenes()[0]
    .addChild(document.createNode('Hair').setMesh(document.createMesh('Strands').addPrimitive(hair)));
  return document;
}
const run = (document: Document) => strandOrderStep.run(document, {}, SHIPPED_TARGETS[0], testContext());
const hairOf = (document: Document) => listParts(document).find((part) => part.name === 'Hair')?.prim;
const triangles = (document: Document) => {
  const prim = hairOf(document);
  return prim
    ? Array.from({ length: trianglesOf(prim).length / 3 }, (_, t) =>
        [...trianglesOf(prim).subarray(t * 3, t * 3 + 3)].join(' '),
      )
    : [];
};

describe('the order of strands', () => {
  it('goes from the head outwards, with every triangle as it was', async () => {
    const before = hairy('BLEND'),
      document = copyDocument(before),
      half = triangles(before).length / 2;
    expect(strandOrderStep.applies(document, SHIPPED_TARGETS[0])).toBe(true);
    const { measures } = await run(document);
    expect(measures[0].result).toBeGreaterThan(half);
    const after = triangles(document);
    expect([...after].sort()).toEqual([...triangles(before)].sort());
    // The nearer layer has the higher vertices, and comes first now.
    const vertices = (hairOf(document)?.getAttribute('POSITION')?.getCount() ?? 0) / 2,
      inner = (list: string[]) => list.filter((one) => Number(one.split(' ')[0]) >= vertices).length;
    expect(inner(triangles(before).slice(0, half))).toBe(0);
    expect(inner(after.slice(0, half))).toBeGreaterThan(half * 0.8);
    // Put in order once more, nothing is to be done.
    expect((await run(document)).measures[0].result).toBe(0);
  });
  it('is left alone where hair is cut out, and where there is nothing it lies on', async () => {
    expect(strandOrderStep.applies(hairy('MASK'), SHIPPED_TARGETS[0])).toBe(false);
    const alone = hairy('BLEND');
    for (const node of alone.getRoot().listNodes())
      if (node.getMesh() && node.getName() !== 'Hair') node.setMesh(null).setSkin(null);
    const before = triangles(alone);
    expect((await run(alone)).measures[0].result).toBe(0);
    expect(triangles(alone)).toEqual(before);
  });
});
