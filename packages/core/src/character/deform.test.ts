import { Document } from '@gltf-transform/core';
import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import { quatFromAxis, seededRandom } from '../geometry/index.ts';
import { poseSkeleton, RANGE_OF_MOTION, jointRoles, roleIndex } from '../rig/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { createDeformer, floatsOf, inverseBindsOf, listParts, skeletonOf, trianglesOf } from './index.ts';

/** A strip along x, bound half to half over two joints; the second stands at x = 1. */
function strip(options: { weights?: number[]; scale?: number; twice?: boolean } = {}) {
  const { weights = [1, 0, 0, 0, 0.5, 0.5, 0, 0, 0, 1, 0, 0], scale = 1, twice = false } = options;
  const document = new Document();
  document.createBuffer();
  const root = document.createNode('root').setScale([scale, scale, scale]),
    tip = document.createNode('tip').setTranslation([1, 0, 0]);
  root.addChild(tip);
  const put = (type: 'VEC3' | 'VEC4' | 'MAT4' | 'SCALAR', array: Float32Array | Uint16Array) =>
    document
      .createAccessor()
      .setType(type)
      .setArray(array as Float32Array<ArrayBuffer>);
  const skin = document
    .createSkin()
    .addJoint(root)
    .addJoint(tip)
    .setInverseBindMatrices(
      put(
        'MAT4',
        Float32Array.of(
          1,
          0,
          0,
          0,
          0,
          1,
          0,
          0,
          0,
          0,
          1,
          0,
          0,
          0,
          0,
          1,
          1,
          0,
          0,
          0,
          0,
          1,
          0,
          0,
          0,
          0,
          1,
          0,
          -1,
          0,
          0,
          1,
        ),
      ),
    );
  const prim = document
    .createPrimitive()
    .setIndices(put('SCALAR', Uint16Array.of(0, 1, 2)))
    .setAttribute('POSITION', put('VEC3', Float32Array.of(0, 0, 0, 1, 0, 0, 2, 0, 0)))
    .setAttribute('JOINTS_0', put('VEC4', Uint16Array.of(0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0)))
    .setAttribute('WEIGHTS_0', put('VEC4', Float32Array.from(weights)))
    .addTarget(
      document
        .createPrimitiveTarget('up')
        .setAttribute('POSITION', put('VEC3', Float32Array.of(0, 0, 0, 0, 0, 0, 0, 0.5, 0))),
    );
  const mesh = document
    .createMesh('Strip')
    .addPrimitive(prim)
    .setExtras({ targetNames: ['up'] });
  const scene = document
    .createScene()
    .addChild(root)
    .addChild(document.createNode('Strip').setMesh(mesh).setSkin(skin));
  if (twice) scene.addChild(document.createNode('Prop').setMesh(mesh).setTranslation([0, 3, 0]));
  return document;
}
/** Global matrices with the tip bent by an angle about z. */
function bent(document: Document, angle: number): Float64Array {
  const { global } = skeletonOf(document),
    posed = Float64Array.from(global),
    c = Math.cos(angle),
    s = Math.sin(angle);
  posed.set([c, s, 0, 0, -s, c, 0, 0, 0, 0, 1, 0], 16);
  return posed;
}
const rows = (values: ArrayLike<number>) =>
  Array.from({ length: values.length / 3 }, (_, i) =>
    [values[i * 3], values[i * 3 + 1], values[i * 3 + 2]].map((x) => Math.round(x * 1e5) / 1e5 + 0),
  );
const evaluated = (document: Document, morphs = {}, posed?: Float64Array) => {
  const d = createDeformer(document);
  return rows(d.evaluate(new Float32Array(d.vertices * 3), morphs, posed));
};

describe('linear blend skinning', () => {
  it('leaves a bound mesh where it is at rest', () => {
    expect(evaluated(strip())).toEqual([
      [0, 0, 0],
      [1, 0, 0],
      [2, 0, 0],
    ]);
  });
  it('turns what follows the tip by a right angle about its joint, and what hangs on both half way', () => {
    expect(evaluated(strip(), {}, bent(strip(), Math.PI / 2))).toEqual([
      [0, 0, 0],
      [1, 0, 0],
      [1, 1, 0],
    ]);
    const both = strip({ weights: [1, 0, 0, 0, 1, 0, 0, 0, 0.5, 0.5, 0, 0] });
    expect(evaluated(both, {}, bent(both, Math.PI / 2))[2]).toEqual([1.5, 0.5, 0]);
  });
  it('morphs first and bends after', () => {
    expect(evaluated(strip(), { up: 1 }, bent(strip(), Math.PI / 2))[2]).toEqual([0.5, 1, 0]);
  });
  it('divides weights by their sum, and leaves vertices without any', () => {
    const odd = strip({ weights: [0, 0, 0, 0, 0.2, 0.2, 0, 0, 0, 0.3, 0, 0] });
    expect(evaluated(odd, {}, bent(odd, Math.PI / 2))).toEqual([
      [0, 0, 0],
      [1, 0, 0],
      [1, 1, 0],
    ]);
  });
  it('goes by the joints and not by the node that carries the mesh; a mesh without skin goes by its node', () => {
    const document = strip({ twice: true });
    document
      .getRoot()
      .listNodes()
      .find((node) => node.getName() === 'Strip')
      ?.setTranslation([50, 0, 0]);
    expect(evaluated(document)).toEqual([
      [0, 0, 0],
      [1, 0, 0],
      [2, 0, 0],
      [0, 3, 0],
      [1, 3, 0],
      [2, 3, 0],
    ]);
  });
  it('shows a joint that scales', () => {
    expect(evaluated(strip({ scale: 2 }))).toEqual([
      [0, 0, 0],
      [2, 0, 0],
      [4, 0, 0],
    ]);
  });
  it('says which triangles a morph moves, over all parts', () => {
    const d = createDeformer(strip({ twice: true }));
    expect([...d.movedTriangles('up', 0.4)]).toEqual([0, 1]);
    expect([...d.movedTriangles('up', 0.6)]).toEqual([]);
    expect([...d.movedTriangles('down', 0)]).toEqual([]);
  });
  it('remembers the rest without being spoilt by what was evaluated between', () => {
    const document = strip({ twice: true }),
      d = createDeformer(document),
      out = new Float32Array(d.vertices * 3);
    const first = rows(d.evaluate(out));
    d.evaluate(out, { up: 1 }, bent(document, 1));
    expect(rows(d.evaluate(out))).toEqual(first);
    expect(rows(d.evaluate(out, { up: 0.5 }))[2]).toEqual([2, 0.25, 0]);
    expect(rows(d.evaluate(out))).toEqual(first);
  });
  it('agrees with three.js over the range of motion, to a hundredth of a millimetre', () => {
    const document = stickFigure(),
      d = createDeformer(document),
      { skeleton } = d,
      roles = roleIndex(jointRoles(document, skeleton)),
      [part] = listParts(document),
      skin = part.node.getSkin();
    if (!skin) throw new Error('no skin');
    const bones = skeleton.joints.map(() => {
      const bone = new THREE.Bone();
      bone.matrixAutoUpdate = false;
      return bone;
    });
    const binds = inverseBindsOf(skin),
      order = skin.listJoints().map((joint) => bones[skeleton.index.get(joint) as number]);
    const geometry = new THREE.BufferGeometry();
    geometry.setAttribute(
      'position',
      new THREE.BufferAttribute(floatsOf(part.prim.getAttribute('POSITION') as never), 3),
    );
    geometry.setAttribute(
      'skinIndex',
      new THREE.BufferAttribute(Uint16Array.from(part.prim.getAttribute('JOINTS_0')?.getArray() ?? []), 4),
    );
    geometry.setAttribute(
      'skinWeight',
      new THREE.BufferAttribute(floatsOf(part.prim.getAttribute('WEIGHTS_0') as never), 4),
    );
    const mesh = new THREE.SkinnedMesh(geometry);
    mesh.bind(
      new THREE.Skeleton(
        order,
        order.map((_, i) => new THREE.Matrix4().fromArray(binds, i * 16)),
      ),
      new THREE.Matrix4(),
    );
    let worst = 0;
    for (const pose of RANGE_OF_MOTION) {
      const posed = poseSkeleton(skeleton, roles, pose),
        ours = d.evaluate(new Float32Array(d.vertices * 3), {}, posed),
        point = new THREE.Vector3();
      bones.forEach((bone, i) => bone.matrixWorld.fromArray(posed, i * 16));
      for (let v = 0; v < part.vertices; v++) {
        point.fromBufferAttribute(mesh.geometry.getAttribute('position'), v);
        mesh.applyBoneTransform(v, point);
        worst = Math.max(
          worst,
          Math.hypot(point.x - ours[v * 3], point.y - ours[v * 3 + 1], point.z - ours[v * 3 + 2]),
        );
      }
    }
    expect(worst).toBeLessThan(1e-5);
  });
});

describe('trianglesOf', () => {
  const prim = (mode: number, indices: number[] | null, vertices = 5) => {
    const document = new Document(),
      made = document
        .createPrimitive()
        .setMode(mode as 4)
        .setAttribute(
          'POSITION',
          document
            .createAccessor()
            .setType('VEC3')
            .setArray(new Float32Array(vertices * 3)),
        );
    return indices
      ? made.setIndices(document.createAccessor().setType('SCALAR').setArray(Uint16Array.from(indices)))
      : made;
  };
  it.each([
    ['a list', 4, [0, 1, 2, 2, 1, 3], [0, 1, 2, 2, 1, 3]],
    ['a list cut off', 4, [0, 1, 2, 3], [0, 1, 2]],
    ['a list without indices', 4, null, [0, 1, 2]],
    ['a strip, every second face turned', 5, [0, 1, 2, 3, 4], [0, 1, 2, 2, 1, 3, 2, 3, 4]],
    ['a fan', 6, [0, 1, 2, 3, 4], [0, 1, 2, 0, 2, 3, 0, 3, 4]],
    ['points', 0, [0, 1, 2], []],
    ['lines', 1, [0, 1, 1, 2], []],
    ['a strip too short', 5, [0, 1], []],
  ] as [string, number, number[] | null, number[]][])('of %s', (_, mode, indices, wanted) => {
    expect([...trianglesOf(prim(mode, indices))]).toEqual(wanted);
  });
  it('keeps every face of a strip looking the same way', () => {
    const document = new Document(),
      points = Float32Array.from({ length: 30 }, (_, i) => [Math.floor(i / 6), Math.floor(i / 3) % 2, 0][i % 3]);
    const strip = document
      .createPrimitive()
      .setMode(5)
      .setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(points));
    const t = trianglesOf(strip),
      turn = (i: number) => {
        const [a, b, c] = [0, 1, 2].map((k) => t[i + k] * 3);
        return Math.sign(
          (points[b] - points[a]) * (points[c + 1] - points[a + 1]) -
            (points[c] - points[a]) * (points[b + 1] - points[a + 1]),
        );
      };
    expect(new Set(Array.from({ length: t.length / 3 }, (_, i) => turn(i * 3))).size).toBe(1);
  });
});

describe('floatsOf', () => {
  const accessor = (array: Uint8Array | Int8Array | Uint16Array | Int16Array | Float32Array, normalized: boolean) =>
    new Document()
      .createAccessor()
      .setType('SCALAR')
      .setArray(array as Float32Array<ArrayBuffer>)
      .setNormalized(normalized);
  it.each([
    ['bytes', Uint8Array.of(0, 51, 255), [0, 0.2, 1]],
    ['signed bytes, the lowest held at −1', Int8Array.of(-128, -127, 127), [-1, -1, 1]],
    ['words', Uint16Array.of(0, 65_535), [0, 1]],
    ['signed words', Int16Array.of(-32_768, 0, 32_767), [-1, 0, 1]],
  ] as const)('decodes normalised %s as glTF says', (_, array, wanted) => {
    floatsOf(accessor(array, true)).forEach((x, i) => expect(x).toBeCloseTo(wanted[i], 6));
  });
  it('takes plain integers for what they are, and hands floats on without a copy', () => {
    expect([...floatsOf(accessor(Uint16Array.of(3, 70), false))]).toEqual([3, 70]);
    const own = Float32Array.of(0.5, 2);
    expect(floatsOf(accessor(own, false))).toBe(own);
  });
  it('gives zeros where an accessor holds nothing yet', () => {
    expect(floatsOf(new Document().createAccessor().setType('VEC3')).length).toBe(0);
  });
});

describe('a skeleton', () => {
  it('lists parents before children however the file orders its joints', () => {
    const random = seededRandom(5);
    for (let round = 0; round < 20; round++) {
      const document = new Document(),
        nodes = Array.from({ length: 30 }, (_, i) => document.createNode(`n${i}`)),
        skin = document.createSkin();
      nodes.slice(1).forEach((node, i) => nodes[Math.floor(random() * (i + 1))].addChild(node));
      for (const node of [...nodes].sort(() => random() - 0.5)) if (random() < 0.7) skin.addJoint(node);
      const { joints, parent, index } = skeletonOf(document);
      joints.forEach((joint, i) => {
        expect(parent[i]).toBeLessThan(i);
        let above = joint.getParentNode();
        while (above && !index.has(above)) above = above.getParentNode();
        expect(parent[i]).toBe(above ? index.get(above) : -1);
      });
    }
  });
  it('knows where joints stand below nodes that are turned, moved and scaled, as three.js does', () => {
    const document = new Document(),
      skin = document.createSkin(),
      random = seededRandom(8),
      nodes = Array.from({ length: 12 }, (_, i) => document.createNode(`n${i}`)),
      objects = nodes.map(() => new THREE.Object3D());
    nodes.forEach((node, i) => {
      const q = quatFromAxis([random() - 0.5, random() - 0.5, random() - 0.5], random() * 3),
        t = [random(), random(), random()] as [number, number, number],
        s = 0.5 + random();
      node.setRotation(q).setTranslation(t).setScale([s, s, s]);
      objects[i].quaternion.set(...q);
      objects[i].position.set(...t);
      objects[i].scale.setScalar(s);
      if (i) {
        const above = Math.floor(random() * i);
        nodes[above].addChild(node);
        objects[above].add(objects[i]);
      }
      skin.addJoint(node);
    });
    const { joints, global } = skeletonOf(document);
    objects[0].updateMatrixWorld(true);
    joints.forEach((joint, i) => {
      const wanted = objects[nodes.indexOf(joint)].matrixWorld.elements;
      for (let k = 0; k < 16; k++) expect(global[i * 16 + k]).toBeCloseTo(wanted[k], 5);
    });
  });
  it('takes a bind that is missing or cut off for standing at the origin', () => {
    const document = strip(),
      [skin] = document.getRoot().listSkins();
    skin.getInverseBindMatrices()?.setArray(new Float32Array(16).fill(2));
    expect([...inverseBindsOf(skin).subarray(16)]).toEqual([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1]);
    skin.setInverseBindMatrices(null);
    expect(inverseBindsOf(skin)[0]).toBe(1);
  });
});
