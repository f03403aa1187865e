import { Document, type Primitive } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { floatsOf, influencesOf } from '../../character/index.ts';
import { quantise, quantiseWeights } from './quantise.ts';

/** Two parts of two vertices that name the same eight joints by one array, with other weights each. */
function twoParts(...weights: number[][]): { document: Document; prims: Primitive[]; joints: Uint8Array } {
  const document = new Document(),
    buffer = document.createBuffer(),
    joints = Uint8Array.of(3, 1, 2, 0, 0, 1, 2, 3),
    array = (type: 'VEC3' | 'VEC4', values: Float32Array<ArrayBuffer> | Uint8Array<ArrayBuffer>) =>
      document.createAccessor().setType(type).setArray(values).setBuffer(buffer),
    sets = [
      array('VEC4', joints),
      array(
        'VEC4',
        joints.map((joint) => joint + 4),
      ),
    ],
    prims = weights.map((own) => {
      const prim = document
        .createPrimitive()
        .setAttribute('POSITION', array('VEC3', Float32Array.of(0, 0, 0, 1, 2, 1)));
      sets.forEach((set, n) => {
        const four = [0, 1].flatMap((v) => own.slice(v * 8 + n * 4, v * 8 + n * 4 + 4));
        prim.setAttribute(`JOINTS_${n}`, set).setAttribute(`WEIGHTS_${n}`, array('VEC4', Float32Array.from(four)));
      });
      document.createNode('part').setMesh(document.createMesh('part').addPrimitive(prim));
      return prim;
    });
  return { document, prims, joints };
}

const FIRST = [0.1, 0.2, 0.3, 0.05, 0.05, 0.1, 0.1, 0.1, 1, 0, 0, 0, 0, 0, 0, 0],
  // A third can't be said exactly; the second vertex doesn't sum to one, a third of it is nothing.
  SECOND = [1 / 3, 1 / 3, 1 / 3, 0, 0, 0, 0, 0, 0.2, 0, 0, 0.2, 0, 0, 0, 0.1];

describe('weights as whole numbers', () => {
  it('sum to one exactly, stay within a step of what they were, and with their own joints', () => {
    const { document, prims } = twoParts(FIRST, SECOND),
      before = prims.map(influencesOf);
    quantiseWeights(document);
    prims.forEach((prim, p) => {
      const after = influencesOf(prim),
        was = before[p];
      expect(after?.joints).toEqual(was?.joints);
      for (const v of [0, 1]) {
        const whole = [0, 1].flatMap((n) =>
          [...(prim.getAttribute(`WEIGHTS_${n}`)?.getArray() ?? [])].slice(v * 4, v * 4 + 4),
        );
        expect(whole.reduce((sum, x) => sum + x, 0)).toBe(65_535);
        const sum = was?.weights.slice(v * 8, v * 8 + 8).reduce((a, b) => a + b, 0) as number;
        for (let k = v * 8; k < v * 8 + 8; k++)
          expect(Math.abs((after?.weights[k] as number) - (was?.weights[k] as number) / sum)).toBeLessThan(3e-5);
      }
    });
  });
  it('of a vertex without any stay none', () => {
    const { document, prims } = twoParts(new Array(16).fill(0));
    quantiseWeights(document);
    expect([...(prims[0].getAttribute('WEIGHTS_0')?.getArray() ?? [])]).toEqual([0, 0, 0, 0, 0, 0, 0, 0]);
  });
});

describe('a figure as whole numbers', () => {
  it('keeps the joints of parts that share an array of them', async () => {
    const { document, prims, joints } = twoParts(FIRST, SECOND),
      given = joints.slice();
    await quantise(document);
    for (const prim of prims) {
      expect(prim.getAttribute('JOINTS_0')?.getArray()).toEqual(given);
      expect(prim.getAttribute('WEIGHTS_0')?.getComponentSize()).toBe(2);
    }
    expect(joints).toEqual(given);
  });
  it('lies in one volume: the same place is the same number in every part', async () => {
    const { document, prims } = twoParts(FIRST, SECOND),
      [first, second] = prims.map((prim) => prim.getAttribute('POSITION'));
    second?.setArray(Float32Array.of(1, 2, 1, 9, 0, 0));
    await quantise(document);
    const [a, b] = prims.map((prim) => [...(prim.getAttribute('POSITION')?.getArray() ?? [])]);
    expect(a.slice(3, 6)).toEqual(b.slice(0, 3));
    expect(prims[0].getAttribute('POSITION')).not.toBe(first);
    expect(floatsOf(prims[0].getAttribute('POSITION') as never).every((x) => Math.abs(x) <= 1)).toBe(true);
  });
  it('names the node of a surface that others hang on like the part it is of', async () => {
    const { document } = twoParts(FIRST),
      [node] = document.getRoot().listNodes();
    node.addChild(document.createNode('lamp'));
    await quantise(document);
    expect(
      document
        .getRoot()
        .listNodes()
        .filter((one) => one.getMesh())
        .map((one) => one.getName()),
    ).toEqual(['part']);
  });
});
