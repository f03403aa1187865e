import { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { describe, expect, it } from 'vitest';
import {
  createDeformer,
  floatsOf,
  influencesOf,
  type Influences,
  jointPosition,
  listParts,
  skeletonOf,
  trianglesOf,
  copyDocument,
  weightSumError,
} from '../character/index.ts';
import { cotangentLaplacian, vertexNormals } from '../geometry/index.ts';
import { jointRoles, poseSkeleton, RANGE_OF_MOTION, roleIndex } from '../rig/index.ts';
import { SHIPPED_TARGETS } from '../targets/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { testContext } from '../testing/context.ts';
import { inpaintWeights, transferStep, TRANSFER_DEFAULTS, transferWeights } from './index.ts';

/** n × n squares in the plane z, of one centimetre each. */
function sheet(n: number, z = 0): { positions: Float32Array; indices: Uint32Array } {
  const positions: number[] = [],
    indices: number[] = [];
  for (let y = 0; y <= n; y++) for (let x = 0; x <= n; x++) positions.push(x / 100, y / 100, z);
  for (let y = 0; y < n; y++)
    for (let x = 0; x < n; x++) {
      const i = y * (n + 1) + x;
      indices.push(i, i + 1, i + n + 2, i, i + n + 2, i + n + 1);
    }
  return { positions: Float32Array.from(positions), indices: Uint32Array.from(indices) };
}
/** Two joints whose weights go over linearly from left to right. */
const ramp = (surface: { positions: Float32Array }, width: number): Influences => {
  const count = surface.positions.length / 3,
    out: Influences = { perVertex: 2, joints: new Uint16Array(count * 2), weights: new Float32Array(count * 2) };
  for (let i = 0; i < count; i++) {
    const t = surface.positions[i * 3] / width;
    out.joints.set([3, 7], i * 2);
    out.weights.set([1 - t, t], i * 2);
  }
  return out;
};
const weightOf = ({ perVertex, joints, weights }: Influences, vertex: number, joint: number): number => {
  let sum = 0;
  for (let k = vertex * perVertex; k < (vertex + 1) * perVertex; k++) if (joints[k] === joint) sum += weights[k];
  return sum;
};

describe('cotangentLaplacian', () => {
  it('is zero on what is linear, and knows the corners and area of a sheet', () => {
    const { positions, indices } = sheet(6),
      mesh = cotangentLaplacian(positions, indices);
    expect(mesh.points).toBe(49);
    expect(mesh.mass.reduce((sum, m) => sum + m, 0)).toBeCloseTo(36e-4, 9);
    const at = 3 * 7 + 3;
    let x = 0,
      y = 0,
      weights = 0;
    for (let n = mesh.start[at]; n < mesh.start[at + 1]; n++) {
      x += mesh.weight[n] * (positions[at * 3] - positions[mesh.neighbour[n] * 3]);
      y += mesh.weight[n] * (positions[at * 3 + 1] - positions[mesh.neighbour[n] * 3 + 1]);
      weights += mesh.weight[n];
    }
    expect([x, y].map(Math.abs).every((value) => value < 1e-9)).toBe(true);
    expect(weights).toBeCloseTo(4, 4);
  });
  it('takes vertices at one place for one point, and lives with triangles of no area', () => {
    const mesh = cotangentLaplacian(
      [0, 0, 0, 1, 0, 0, 0, 1, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0, 0, 0, 0],
      [0, 1, 2, 3, 4, 5, 0, 6, 1],
    );
    expect(mesh.points).toBe(4);
    expect([...mesh.pointOf]).toEqual([0, 1, 2, 1, 3, 2, 0]);
    expect([...mesh.weight].every((w) => w >= 0 && Number.isFinite(w))).toBe(true);
  });
});

describe('inpaintWeights', () => {
  it('fills a hole in a ramp with the ramp', () => {
    const n = 20,
      surface = sheet(n),
      mesh = cotangentLaplacian(surface.positions, surface.indices),
      rows = Array.from({ length: mesh.points }, (_, i) => {
        const x = (i % (n + 1)) / n,
          y = Math.floor(i / (n + 1)) / n;
        return x > 0.25 && x < 0.75 && y > 0.25 && y < 0.75
          ? null
          : new Map([
              [0, 1 - x],
              [1, x],
            ]);
      });
    expect(inpaintWeights(mesh, rows)).toEqual([]);
    rows.forEach((row, i) => {
      const x = (i % (n + 1)) / n;
      expect(row?.get(1) ?? 0).toBeCloseTo(x, 2);
      expect([...(row?.values() ?? [])].reduce((sum, w) => sum + w, 0)).toBeCloseTo(1, 9);
    });
  });
  it('leaves what no known weight borders on', () => {
    const a = sheet(2),
      b = sheet(2, 1),
      positions = Float32Array.from([...a.positions, ...b.positions]),
      indices = Uint32Array.from([...a.indices, ...b.indices.map((i) => i + 9)]),
      mesh = cotangentLaplacian(positions, indices);
    const rows = Array.from({ length: 18 }, (_, i) => (i === 0 ? new Map([[5, 1]]) : null));
    expect(inpaintWeights(mesh, rows).sort((a, b) => a - b)).toEqual([9, 10, 11, 12, 13, 14, 15, 16, 17]);
    expect(rows.slice(0, 9).every((row) => row && Math.abs((row.get(5) ?? 0) - 1) < 1e-6)).toBe(true);
  });
});

describe('transferWeights', () => {
  it('gives a surface that lies on another its very weights', () => {
    const donor = sheet(10),
      done = transferWeights({ ...donor, influences: ramp(donor, 0.1) }, donor);
    expect(done).toMatchObject({ matched: 121, filled: 0, nearest: 0 });
    for (let i = 0; i < 121; i++) expect(weightOf(done.influences, i, 7)).toBeCloseTo(donor.positions[i * 3] / 0.1, 5);
  });
  it('fills what faces elsewhere or lies too far from what is near', () => {
    const donor = sheet(20),
      receiver = sheet(20, 0.005);
    // A fold: the middle of the sheet stands off by 20 cm.
    for (let i = 0; i < receiver.positions.length; i += 3)
      if (Math.abs(receiver.positions[i] - 0.1) < 0.031 && Math.abs(receiver.positions[i + 1] - 0.1) < 0.031)
        receiver.positions[i + 2] = 0.2;
    const done = transferWeights({ ...donor, influences: ramp(donor, 0.2) }, receiver);
    expect(done.filled).toBeGreaterThan(40);
    expect(done.nearest).toBe(0);
    let worst = 0;
    for (let i = 0; i < 441; i++) {
      const w = weightOf(done.influences, i, 7);
      worst = Math.max(worst, Math.abs(w - receiver.positions[i * 3] / 0.2));
      expect(w + weightOf(done.influences, i, 3)).toBeCloseTo(1, 5);
    }
    expect(worst).toBeLessThan(0.25);
  });
  it('believes a lining that faces the body only where it lies close', () => {
    const donor = sheet(10),
      turned = (z: number) => {
        const { positions, indices } = sheet(10, z);
        return { positions, indices: Uint32Array.from(indices, (_, i) => indices[i - (i % 3) + [0, 2, 1][i % 3]]) };
      };
    const influences = ramp(donor, 0.1);
    expect(transferWeights({ ...donor, influences }, turned(0.01)).matched).toBe(121);
    expect(transferWeights({ ...donor, influences }, turned(0.04))).toMatchObject({ matched: 0, nearest: 121 });
    expect(transferWeights({ ...donor, influences }, turned(0.04)).influences.weights.every(Number.isFinite)).toBe(
      true,
    );
  });
  it('gives vertices at one place the same weights, and no more of them than asked', () => {
    const donor = sheet(6),
      doubled = { positions: Float32Array.from([...donor.positions, ...donor.positions]), indices: donor.indices },
      done = transferWeights({ ...donor, influences: ramp(donor, 0.06) }, doubled, { ...TRANSFER_DEFAULTS, most: 1 });
    expect(done.influences.perVertex).toBe(1);
    for (let i = 0; i < 49; i++)
      expect([done.influences.joints[i], done.influences.weights[i]]).toEqual([
        done.influences.joints[i + 49],
        done.influences.weights[i + 49],
      ]);
  });
});

/** A figure with a coat of its own mesh, a little outside the skin, bound to nothing and hung on a node in centimetres. */
function coated(): { document: Document; truth: Document } {
  const document = stickFigure({ rings: 8 }),
    [body] = listParts(document),
    points = floatsOf(body.prim.getAttribute('POSITION') as never),
    normals = vertexNormals(points, trianglesOf(body.prim));
  const outside = points.map((x, i) => x + normals[i] * 0.006),
    accessor = (array: Float32Array) =>
      document
        .createAccessor()
        .setType('VEC3')
        .setArray(array as Float32Array<ArrayBuffer>);
  const add = (at: Float32Array) => {
    const prim = body.prim.clone();
    for (const target of prim.listTargets()) prim.removeTarget(target);
    prim.setAttribute('POSITION', accessor(at));
    return document.createMesh('Coat').addPrimitive(prim.setMaterial(document.createMaterial('Oilcloth')));
  };
  const truth = copyDocument(document);
  const coat = add(outside.map((x) => x * 100));
  for (const semantic of ['JOINTS_0', 'WEIGHTS_0']) coat.listPrimitives()[0].setAttribute(semantic, null);
  document
    .getRoot()
    .listScenes()[0]
    .addChild(
      document.createNode('Rack').setScale([0.01, 0.01, 0.01]).addChild(document.createNode('Coat').setMesh(coat)),
    );
  return { document, truth };
}
const run = (document: Document, settings: object = {}, context = testContext()) =>
  transferStep.run(document, v.parse(transferStep.settings, settings), SHIPPED_TARGETS[0], context);
const coatOf = (document: Document) => listParts(document).find((part) => part.name === 'Coat');

describe('weights.transfer', () => {
  it('binds what came along unbound, where it stands, and it bends with the skin', async () => {
    const { document } = coated(),
      before = restOf(document, 'Coat');
    expect(transferStep.applies(document, SHIPPED_TARGETS[0])).toBe(true);
    const { measures, findings } = await run(document);
    expect(measures[0].result).toBe(1);
    expect(findings.map((finding) => finding.code)).toEqual(['weights.transferred']);
    const coat = coatOf(document);
    expect(coat?.node.getSkin()).not.toBeNull();
    expect(weightSumError(coat?.prim as never)).toBeLessThan(1e-6);
    expect(furthest(before, restOf(document, 'Coat'))).toBeLessThan(1e-5);
    // Bent, the coat stays as near to the skin as it lay: 6 mm, and the skin's own stretch.
    const deformer = createDeformer(document),
      roles = roleIndex(jointRoles(document, deformer.skeleton)),
      out = new Float32Array(deformer.vertices * 3),
      [skin, own] = deformer.ranges;
    for (const pose of RANGE_OF_MOTION) {
      deformer.evaluate(out, {}, poseSkeleton(deformer.skeleton, roles, pose));
      let squares = 0;
      for (let i = 0; i < skin.vertices * 3; i += 3) {
        const a = skin.firstVertex * 3 + i,
          b = own.firstVertex * 3 + i;
        squares += (Math.hypot(out[a] - out[b], out[a + 1] - out[b + 1], out[a + 2] - out[b + 2]) - 0.006) ** 2;
      }
      expect(Math.sqrt(squares / skin.vertices), pose.name).toBeLessThan(0.004);
    }
    expect(transferStep.applies(document, SHIPPED_TARGETS[0])).toBe(false);
  });
  it('leaves what stands about, and says so; named, it takes it along', async () => {
    const { document } = coated(),
      post = coatOf(document)?.node.setTranslation([500, 0, 0]);
    const left = await run(document);
    expect(left.findings.map((finding) => finding.code)).toEqual(['weights.left-out']);
    expect(coatOf(document)?.node.getSkin()).toBe(null);
    expect(post).toBeDefined();
    const asked = await run(document, { to: ['Coat', 'No such thing'] });
    expect(asked.findings.map((finding) => finding.code).sort()).toEqual([
      'weights.no-such-part',
      'weights.transferred',
    ]);
    expect(coatOf(document)?.node.getSkin()).not.toBe(null);
  });
  it('takes along what is named, and nothing else that is unbound', async () => {
    const { document } = coated(),
      coat = coatOf(document);
    if (!coat) throw new Error('there is one');
    const twin = document.createNode('Twin').setMesh(coat.node.getMesh()?.clone() ?? null);
    // Where the coat hangs: it lies on the skin as closely.
    coat.node.getParentNode()?.addChild(twin);
    await run(document, { to: ['Coat'] });
    expect(coatOf(document)?.node.getSkin()).not.toBe(null);
    const bound = listParts(document).flatMap((part) => (part.node.getSkin() ? [part.name] : []));
    expect(bound.sort()).toEqual(['Body', 'Coat']);
  });
  it('takes weights, and joints where there are none, from another character of another size', async () => {
    const { document: other } = coated(),
      bare = copyDocument(other);
    for (const part of listParts(bare)) if (part.name !== 'Coat') part.node.dispose();
    for (const skin of bare.getRoot().listSkins()) skin.dispose();
    for (const node of bare.getRoot().listNodes()) if (!node.getMesh() && node.getName() !== 'Rack') node.dispose();
    bare
      .getRoot()
      .listNodes()
      .find((node) => node.getName() === 'Rack')
      ?.setScale([0.009, 0.009, 0.009]);
    const context = {
      ...testContext(),
      character: async (name: string) => {
        expect(name).toBe('winch-hand');
        return { document: stickFigure({ rings: 8 }), name: 'Winch hand' };
      },
    };
    const { measures, findings } = await run(bare, { donor: 'winch-hand' }, context);
    expect(measures[0].result).toBe(1);
    expect(findings[0].message).toContain('moves with “Winch hand”');
    const skeleton = skeletonOf(bare),
      from = skeletonOf(stickFigure());
    expect(skeleton.joints.map((joint) => joint.getName())).toEqual(from.joints.map((joint) => joint.getName()));
    expect(skeleton.parent).toEqual(from.parent);
    const head = from.joints.findIndex((joint) => joint.getName() === 'head'),
      ratio = jointPosition(skeleton, head)[1] / jointPosition(from, head)[1];
    expect(ratio).toBeGreaterThan(0.85);
    expect(ratio).toBeLessThan(1);
    expect(influencesOf(coatOf(bare)?.prim as never)?.weights.every(Number.isFinite)).toBe(true);
  });
  it("says when the other character can't be had, and changes nothing", async () => {
    const { document } = coated();
    await expect(
      run(
        document,
        { donor: 'gone', to: ['Coat'] },
        {
          ...testContext(),
          character: async () => {
            throw new Error('it was deleted.');
          },
        },
      ),
    ).rejects.toMatchObject({
      code: 'weights.no-donor',
      message: "The character that weights should come from can't be opened: it was deleted. Choose another.",
    });
    await expect(run(document, { donor: 'gone', to: ['Coat'] })).rejects.toMatchObject({ code: 'weights.no-donor' });
    expect(coatOf(document)?.node.getSkin()).toBe(null);
    const empty = new Document();
    empty.createScene();
    expect(transferStep.applies(empty, SHIPPED_TARGETS[0])).toBe(false);
  });
});

function restOf(document: Document, name: string): Float32Array {
  const deformer = createDeformer(document, (part) => part.name === name);
  return deformer.evaluate(new Float32Array(deformer.vertices * 3));
}
function furthest(a: Float32Array, b: Float32Array): number {
  let most = 0;
  for (let i = 0; i < a.length; i++) most = Math.max(most, Math.abs(a[i] - b[i]));
  return most;
}
