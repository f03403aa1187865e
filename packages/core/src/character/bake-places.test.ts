import { Document, type Node } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { createDeformer, floatsOf, listParts, trianglesOf } from './index.ts';
import { bakePlaces } from './bake-places.ts';

const accessor = (document: Document, type: 'VEC3' | 'VEC4' | 'SCALAR', values: number[]) =>
  document
    .createAccessor()
    .setType(type)
    .setArray(type === 'SCALAR' ? Uint16Array.from(values) : (Float32Array.from(values) as Float32Array<ArrayBuffer>));
/** A slanted triangle with normals, tangents and a morph that lifts and turns, under a node that sits under another. */
function shape(place: (node: Node) => void): { document: Document; node: Node } {
  const document = new Document(),
    scene = document.createScene(),
    n = Math.SQRT1_2;
  const prim = document
    .createPrimitive()
    .setAttribute('POSITION', accessor(document, 'VEC3', [0, 0, 0, 1, 0, 0, 0, 1, -1]))
    .setAttribute('NORMAL', accessor(document, 'VEC3', [0, n, n, 0, n, n, 0, n, n]))
    .setAttribute('TANGENT', accessor(document, 'VEC4', [1, 0, 0, 1, 1, 0, 0, 1, 1, 0, 0, 1]))
    .setIndices(accessor(document, 'SCALAR', [0, 1, 2]))
    .addTarget(
      document
        .createPrimitiveTarget('lift')
        .setAttribute('POSITION', accessor(document, 'VEC3', [0, 0, 0.5, 0, 0, 0.5, 0, 0, 0.5]))
        .setAttribute('NORMAL', accessor(document, 'VEC3', [0, -n, 1 - n, 0, -n, 1 - n, 0, -n, 1 - n])),
    );
  const node = document.createNode('Flap').setMesh(
      document
        .createMesh('Flap')
        .addPrimitive(prim)
        .setExtras({ targetNames: ['lift'] }),
    ),
    above = document
      .createNode('Peg')
      .addChild(node)
      .addChild(document.createNode('Hook').setTranslation([3, 0, 0]));
  scene.addChild(above);
  place(node);
  return { document, node };
}
const evaluated = (document: Document, morphs: Record<string, number> = {}) => {
  const deformer = createDeformer(document);
  return [...deformer.evaluate(new Float32Array(deformer.vertices * 3), morphs)];
};
const close = (a: readonly number[], b: readonly number[]) => {
  expect(a.length).toBe(b.length);
  a.forEach((x, i) => {
    expect(x).toBeCloseTo(b[i], 5);
  });
};
const prims = (document: Document) => listParts(document).map((part) => part.prim);
const normals = (document: Document) => floatsOf(prims(document)[0].getAttribute('NORMAL') as never);

describe('bakePlaces', () => {
  it.each([
    [
      'moved and turned',
      (node: Node) => {
        node.setTranslation([1, 2, 3]).setRotation([0, Math.SQRT1_2, 0, Math.SQRT1_2]);
      },
    ],
    [
      'in centimetres',
      (node: Node) => {
        node.setScale([0.01, 0.01, 0.01]);
      },
    ],
    [
      'squeezed',
      (node: Node) => {
        node.setScale([1, 0.25, 2]);
      },
    ],
    [
      'mirrored',
      (node: Node) => {
        node.setScale([-1, 1, 1]);
      },
    ],
  ])('leaves a mesh that stands %s where it stood, with its morph', (_how, place) => {
    const { document } = shape(place),
      rest = evaluated(document),
      lifted = evaluated(document, { lift: 1 });
    bakePlaces(document, listParts(document));
    close(evaluated(document), rest);
    close(evaluated(document, { lift: 1 }), lifted);
    expect(listParts(document)[0].node.getMatrix()).toEqual([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1]);
  });
  it.each([
    ['squeezed', [1, 0.25, 2]],
    ['mirrored', [-1, 1, 1]],
    ['turned inside out', [-1, -1, -1]],
  ] as const)('keeps normals square to a surface that was %s, and its front in front', (_how, scale) => {
    const { document } = shape((node) => {
      node.setScale([...scale]);
    });
    bakePlaces(document, listParts(document));
    const [prim] = prims(document),
      p = floatsOf(prim.getAttribute('POSITION') as never),
      [a, b, c] = [...trianglesOf(prim)].map((v) => [...p.subarray(v * 3, v * 3 + 3)]),
      n = normals(document);
    const u = b.map((x, k) => x - a[k]),
      w = c.map((x, k) => x - a[k]),
      face = [u[1] * w[2] - u[2] * w[1], u[2] * w[0] - u[0] * w[2], u[0] * w[1] - u[1] * w[0]],
      length = Math.hypot(...face);
    close(
      [...n.subarray(0, 3)],
      face.map((x) => x / length),
    );
    // What the morph turns the normal to is a unit normal too.
    const turned = floatsOf(prim.listTargets()[0].getAttribute('NORMAL') as never);
    expect(Math.hypot(n[0] + turned[0], n[1] + turned[1], n[2] + turned[2])).toBeCloseTo(1, 5);
  });
  it('moves nothing else that hangs there', () => {
    const { document } = shape((node) => {
        node.setTranslation([0, 1, 0]);
      }),
      peg = document
        .getRoot()
        .listNodes()
        .find((node) => node.getName() === 'Peg') as Node;
    peg.setTranslation([5, 0, 0]);
    bakePlaces(document, listParts(document));
    expect(
      document
        .getRoot()
        .listNodes()
        .find((node) => node.getName() === 'Hook')
        ?.getWorldTranslation(),
    ).toEqual([8, 0, 0]);
  });
  it('leaves a mesh that stands in two places alone in the other', () => {
    const { document, node } = shape((own) => {
      own.setTranslation([0, 1, 0]);
    });
    document
      .getRoot()
      .listScenes()[0]
      .addChild(document.createNode('Twin').setMesh(node.getMesh()).setTranslation([0, -1, 0]));
    const [first, twin] = listParts(document),
      rest = evaluated(document).slice(9);
    bakePlaces(document, [first]);
    const after = listParts(document),
      still = after.find((part) => part.node === twin.node);
    expect(still?.prim).not.toBe(after.find((part) => part.name === 'Flap')?.prim);
    const deformer = createDeformer(document, (part) => part.node === twin.node);
    close([...deformer.evaluate(new Float32Array(deformer.vertices * 3))], rest);
  });
  it("takes a clip of morph weights along to the mesh's new node", () => {
    const { document, node } = shape(() => {});
    const sampler = document
        .createAnimationSampler()
        .setInput(accessor(document, 'SCALAR', [0, 1]))
        .setOutput(accessor(document, 'SCALAR', [0, 1])),
      weights = document.createAnimationChannel().setTargetNode(node).setTargetPath('weights').setSampler(sampler),
      turn = document.createAnimationChannel().setTargetNode(node).setTargetPath('rotation').setSampler(sampler);
    document.createAnimation('flap').addSampler(sampler).addChannel(weights).addChannel(turn);
    const [free] = bakePlaces(document, listParts(document)).values();
    expect(weights.getTargetNode()).toBe(free);
    expect(turn.getTargetNode()).toBe(node);
  });
});
