import { describe, expect, it } from 'vitest';
import { Document } from '@gltf-transform/core';
import { influencesOf, listParts, type Part, skeletonOf } from '../character/index.ts';
import { cotangentLaplacian } from '../geometry/index.ts';
import { jointRoles, roleIndex } from '../rig/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { smoothOver, strongest } from './bind-voxels.ts';
import { inpaintWeights, type Rows } from './inpaint.ts';
import { smoothWeights } from './mend.ts';
import { limbsOf } from './worn.ts';

describe('smoothing of dense weights', () => {
  it('takes half from itself and half from the mean of its neighbours', () => {
    const column = Float32Array.of(1, 0, 0, 0.5);
    // Two triangles on one edge; corner 3 is met by the second only.
    smoothOver([column], 4, Uint32Array.of(0, 1, 2, 1, 3, 2), 1);
    expect(column[0]).toBeCloseTo(0.5, 6);
    // Vertex 1: 0 once, 2 and 2 again, 3 once.
    expect(column[1]).toBeCloseTo(0.5 * ((1 + 0 + 0.5 + 0) / 4), 6);
    expect(column[3]).toBeCloseTo(0.25, 6);
  });
  it('rounds add up, and what stands alone stays', () => {
    const once = Float32Array.of(1, 0, 0, 7),
      twice = once.slice();
    smoothOver([once], 4, Uint32Array.of(0, 1, 2), 2);
    for (let i = 0; i < 2; i++) smoothOver([twice], 4, Uint32Array.of(0, 1, 2), 1);
    expect(once).toEqual(twice);
    expect(once[3]).toBe(7);
  });
  it('keeps the strongest, in order, summing to one; a thousandth is nothing', () => {
    const { perVertex, joints, weights } = strongest(
      [0.1, 0.6, 0.0005, 0.3].map((w) => Float32Array.of(w)),
      1,
      2,
    );
    expect(perVertex).toBe(4);
    expect([...joints]).toEqual([1, 3, 0, 0]);
    expect(weights[0]).toBeCloseTo(2 / 3, 6);
    expect(weights[1]).toBeCloseTo(1 / 3, 6);
    expect([...weights.slice(2)]).toEqual([0, 0]);
  });
});

describe('smoothing of stored weights', () => {
  it('is the same rule, joint by joint', () => {
    const document = new Document(),
      a = document.createNode('a'),
      b = document.createNode('b'),
      skin = document.createSkin().addJoint(a).addJoint(b);
    document.createScene().addChild(a.addChild(b));
    const accessor = (type: 'VEC3' | 'VEC4' | 'SCALAR', array: Float32Array | Uint16Array) =>
      document
        .createAccessor()
        .setType(type)
        .setArray(array as never);
    const prim = document
      .createPrimitive()
      .setAttribute('POSITION', accessor('VEC3', Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0)))
      .setAttribute('JOINTS_0', accessor('VEC4', Uint16Array.of(0, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0)))
      .setAttribute('WEIGHTS_0', accessor('VEC4', Float32Array.of(1, 0, 0, 0, 1, 0, 0, 0, 0.5, 0.5, 0, 0)))
      .setIndices(accessor('SCALAR', Uint16Array.of(0, 1, 2)));
    document
      .getRoot()
      .listScenes()[0]
      .addChild(document.createNode('sheet').setMesh(document.createMesh().addPrimitive(prim)).setSkin(skin));
    smoothWeights(document, 1);
    const { joints, weights, perVertex } = influencesOf(prim) as NonNullable<ReturnType<typeof influencesOf>>;
    const of = (v: number, joint: number) => {
      let sum = 0;
      for (let k = v * perVertex; k < (v + 1) * perVertex; k++) if (joints[k] === joint) sum += weights[k];
      return sum;
    };
    // Joint 0: 1, 0 and 0.5 before.
    expect(of(0, 0)).toBeCloseTo(0.5 + 0.5 * 0.25, 6);
    expect(of(1, 0)).toBeCloseTo(0.5 * 0.75, 6);
    expect(of(2, 0)).toBeCloseTo(0.25 + 0.5 * 0.5, 6);
    for (let v = 0; v < 3; v++) expect(of(v, 0) + of(v, 1)).toBeCloseTo(1, 6);
    expect(listParts(document)).toHaveLength(1);
  });
});

describe('weights put into a hole', () => {
  it('are those of least bending: each satisfies (L + L M⁻¹ L) w = 0', () => {
    // A sheet that is no ramp: weights go up along one edge and bulge; the middle is unknown.
    const n = 9,
      points = Array.from({ length: n * n }, (_, i) => [
        (i % n) * 0.01 + (i % 3) * 0.001,
        Math.floor(i / n) * 0.013,
        0,
      ]),
      indices = Array.from({ length: n * n }, (_, i) => i)
        .filter((i) => i % n < n - 1 && i < n * (n - 1))
        .flatMap((i) => [i, i + 1, i + n, i + 1, i + n + 1, i + n]);
    const mesh = cotangentLaplacian(Float32Array.from(points.flat()), Uint32Array.from(indices)),
      known = (i: number) => 0.5 + 0.4 * Math.sin((i % n) * 0.7) * Math.cos(Math.floor(i / n) * 0.5),
      inside = (i: number) => i % n > 2 && i % n < 6 && Math.floor(i / n) > 2 && Math.floor(i / n) < 6;
    const rows: Rows = points.map((_, i) =>
      inside(i)
        ? null
        : new Map([
            [0, known(i)],
            [1, 1 - known(i)],
          ]),
    );
    expect(inpaintWeights(mesh, rows)).toEqual([]);
    const w = rows.map((row) => row?.get(0) ?? Number.NaN),
      apply = (x: readonly number[]) =>
        x.map((value, i) => {
          let out = 0;
          for (let k = mesh.start[i]; k < mesh.start[i + 1]; k++)
            out += mesh.weight[k] * (value - x[mesh.neighbour[k]]);
          return out;
        });
    const once = apply(w),
      energy = apply(once.map((value, i) => value / mesh.mass[i])).map((value, i) => value + once[i]),
      scale = Math.max(...energy.map(Math.abs));
    expect(scale).toBeGreaterThan(0);
    points.forEach((_, i) => {
      if (inside(i)) expect(Math.abs(energy[i]) / scale).toBeLessThan(1e-3);
    });
  });
});

describe('what encloses a limb', () => {
  const document = stickFigure(),
    skeleton = skeletonOf(document),
    roles = roleIndex(jointRoles(document, skeleton));
  /** Points round a line, over a part of the way round, from a direction on. */
  const round = (a: readonly number[], b: readonly number[], from: number, span: number, radius: number) => {
    const d = b.map((x, k) => x - a[k]),
      l = Math.hypot(...d),
      n = d.map((x) => x / l),
      raw = Math.abs(n[2]) < 0.9 ? [-n[1], n[0], 0] : [1, 0, 0],
      ul = Math.hypot(...raw),
      u = raw.map((x) => x / ul),
      w = [n[1] * u[2] - n[2] * u[1], n[2] * u[0] - n[0] * u[2], n[0] * u[1] - n[1] * u[0]];
    return Array.from({ length: 240 }, (_, i) => {
      const turn = from + span * (i / 240);
      return [0, 1, 2].map((k) => a[k] + d[k] * 0.6 + radius * (Math.cos(turn) * u[k] + Math.sin(turn) * w[k]));
    }).flat();
  };
  const follows = (points: number[]) =>
    limbsOf({ role: 'garment' } as Part, Float32Array.from(points), skeleton, roles, 1.7).has('leftArm');
  // Shoulder to elbow, and elbow to hand: neither along an axis.
  it.each([
    [
      [0.18, 1.43, -0.01],
      [0.39, 1.22, -0.02],
    ],
    [
      [0.39, 1.22, -0.02],
      [0.57, 1.04, 0],
    ],
  ])('goes ten twelfths of the way round it, wherever that begins, and seven are not enough', (a, b) => {
    for (let i = 0; i < 8; i++) {
      const from = (i / 8) * 2 * Math.PI;
      expect(follows(round(a, b, from, (10 / 12) * 2 * Math.PI, 0.05))).toBe(true);
      expect(follows(round(a, b, from, (7 / 12) * 2 * Math.PI, 0.05))).toBe(false);
    }
    expect(follows(round(a, b, 0, 2 * Math.PI, 0.4))).toBe(false);
  });
});
