import { type AnimationSampler, Document, type Node } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import {
  createDeformer,
  floatsOf,
  inverseBindsOf,
  listParts,
  readDossier,
  skeletonOf,
  takeHome,
  updateDossier,
  trianglesOf,
  type Skeleton,
  copyDocument,
} from '../character/index.ts';
import {
  cross,
  dot,
  multiply,
  quatAngle,
  quatConjugate,
  quatFromAxis,
  quatMultiply,
  sub,
  type Quat,
  type Vec3,
  vertexNormals,
} from '../geometry/index.ts';
import { compareCharacters } from '../parity/index.ts';
import {
  armDirections,
  armsDown,
  jointRoles,
  poseByTurns,
  poseSkeleton,
  RANGE_OF_MOTION,
  roleIndex,
  turnsToward,
  bakeMotion,
} from '../rig/index.ts';
import { measureOf } from '../measures.ts';
import { parseTarget, SHIPPED_TARGETS } from '../targets/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { testContext } from '../testing/context.ts';
import { bakeSkeleton } from './bake-skeleton.ts';
import { bakeSkeletonStep } from './bake-skeleton-step.ts';
import { lowest, standAs } from './stand-joints.ts';
import { changeRest, restErrors, restStep, returnsHome } from './index.ts';

const rest = (document: Document, morphs: Record<string, number> = {}) => {
  const d = createDeformer(document);
  return d.evaluate(new Float32Array(d.vertices * 3), morphs);
};
const apart = (a: Float32Array, b: Float32Array) => a.reduce((most, x, i) => Math.max(most, Math.abs(x - b[i])), 0);
const rolesOf = (document: Document) => roleIndex(jointRoles(document));
const armsOut = (document: Document): Quat[] => turnsToward(skeletonOf(document), rolesOf(document), armDirections(0));

describe('changeRest', () => {
  it.each(['exact', 'forward'] as const)(
    'brings the arms straight out, %s: binds are the inverse of the joints, normals stay unit length',
    (method) => {
      const document = stickFigure();
      changeRest(document, armsOut(document), method);
      expect(armsDown(skeletonOf(document), rolesOf(document))).toBeCloseTo(0, 4);
      const skeleton = skeletonOf(document),
        skin = document.getRoot().listSkins()[0],
        binds = inverseBindsOf(skin),
        m = new Float64Array(16);
      skin.listJoints().forEach((joint, i) => {
        multiply(m, 0, skeleton.global, (skeleton.index.get(joint) ?? 0) * 16, binds, i * 16);
        m.forEach((x, k) => expect(x).toBeCloseTo(k % 5 === 0 ? 1 : 0, 5));
      });
      const normal = listParts(document)[0].prim.getAttribute('NORMAL');
      const values = normal ? floatsOf(normal) : [];
      for (let i = 0; i < values.length; i += 3)
        expect(Math.hypot(values[i], values[i + 1], values[i + 2])).toBeCloseTo(1, 5);
    },
  );
  it('returns exactly: posed back into its old rest, the mesh and every morph are what they were, within 0.01 mm', () => {
    const document = stickFigure(),
      source = copyDocument(document);
    changeRest(document, armsOut(document), 'exact');
    expect(apart(rest(source), rest(document))).toBeGreaterThan(0.1);
    takeHome(document);
    expect(apart(rest(source), rest(document))).toBeLessThan(1e-5);
    expect(apart(rest(source, { lift: 1 }), rest(document, { lift: 1 }))).toBeLessThan(1e-5);
  });
  it('forward is what linear blend skinning makes of the pose', () => {
    const document = stickFigure(),
      source = copyDocument(document),
      skeleton = skeletonOf(source),
      turns = new Map([
        [skeleton.joints.findIndex((joint) => joint.getName() === 'leftUpperArm'), quatFromAxis([0, 0, 1], 0.7)],
      ]);
    const whole = skeleton.joints.map((_, j): Quat => {
      for (let at = j; at >= 0; at = skeleton.parent[at]) {
        const turn = turns.get(at);
        if (turn) return turn;
      }
      return [0, 0, 0, 1];
    });
    const d = createDeformer(source),
      posed = d.evaluate(new Float32Array(d.vertices * 3), {}, poseByTurns(skeleton, turns));
    changeRest(document, whole, 'forward');
    expect(apart(posed, rest(document))).toBeLessThan(1e-5);
  });
  it('forward after exact undoes it, and knows that it comes home', () => {
    const document = stickFigure(),
      source = copyDocument(document),
      there = armsOut(document);
    changeRest(document, there, 'exact');
    const back = there.map(quatConjugate);
    expect(returnsHome(document, there, skeletonOf(document))).toBe(false);
    expect(returnsHome(document, back, skeletonOf(document))).toBe(true);
    changeRest(document, back, 'forward');
    expect(apart(rest(source), rest(document))).toBeLessThan(1e-5);
  });
  it('keeps the lowest point on the floor when legs are turned', () => {
    const document = stickFigure(),
      skeleton = skeletonOf(document),
      low = () => rest(document).reduce((least, x, i) => (i % 3 === 1 ? Math.min(least, x) : least), Infinity),
      before = low();
    const turns = skeleton.joints.map((_, j): Quat => {
      for (let at = j; at >= 0; at = skeleton.parent[at]) {
        const name = skeleton.joints[at].getName();
        if (name.endsWith('UpperLeg')) return quatFromAxis([0, 0, 1], name.startsWith('left') ? 0.4 : -0.4);
      }
      return [0, 0, 0, 1];
    });
    changeRest(document, turns, 'exact');
    expect(low()).toBeCloseTo(before, 4);
  });
  it('says by how far joints were turned, and how many stand otherwise', () => {
    const document = stickFigure(),
      turns = armsOut(document),
      change = changeRest(document, turns, 'exact');
    expect(change.mostDegrees).toBeCloseTo((Math.max(...turns.map(quatAngle)) * 180) / Math.PI, 6);
    expect(change.mostDegrees).toBeGreaterThan(44);
    expect(change.mostDegrees).toBeLessThan(47);
    expect(change.joints).toBeGreaterThan(1);
    expect(change.joints).toBeLessThan(turns.length);
    expect(change.stretch).toBeGreaterThan(1);
  });
  it('finds home again over a change that moved the root too', () => {
    const document = stickFigure(),
      source = copyDocument(document),
      skeleton = skeletonOf(document);
    const turns = skeleton.joints.map((_, j): Quat => {
      for (let at = j; at >= 0; at = skeleton.parent[at])
        if (skeleton.joints[at].getName() === 'leftUpperLeg') return quatFromAxis([1, 0, 0], -1);
        else if (skeleton.joints[at].getName() === 'rightUpperLeg') return quatFromAxis([1, 0, 0], -1);
      return [0, 0, 0, 1];
    });
    changeRest(document, turns, 'exact');
    expect(apart(rest(source), rest(document))).toBeGreaterThan(0.1);
    expect(takeHome(document)).toBe(true);
    const d = createDeformer(document);
    expect(apart(rest(source), d.evaluate(new Float32Array(d.vertices * 3)))).toBeLessThan(1e-4);
  });
  it('knows home within a degree, and not farther', () => {
    const document = stickFigure(),
      there = armsOut(document);
    changeRest(document, there, 'exact');
    const skeleton = skeletonOf(document),
      back = there.map(quatConjugate);
    const off = (degrees: number) =>
      back.map((turn, j): Quat => {
        for (let at = j; at >= 0; at = skeleton.parent[at])
          if (skeleton.joints[at].getName() === 'leftUpperArm')
            return quatMultiply(quatFromAxis([0, 0, 1], (degrees * Math.PI) / 180), turn);
        return turn;
      });
    expect(returnsHome(document, off(0.6), skeleton)).toBe(true);
    expect(returnsHome(document, off(1.6), skeleton)).toBe(false);
    expect(returnsHome(document, off(-4), skeleton)).toBe(false);
  });
  it('a clip that leaves the arms alone still shows them as they were', () => {
    const document = stickFigure(),
      skeleton = skeletonOf(document),
      head = skeleton.joints.findIndex((joint) => joint.getName() === 'head');
    const sampler = document
      .createAnimationSampler()
      .setInput(document.createAccessor().setType('SCALAR').setArray(Float32Array.of(0, 1)))
      .setOutput(
        document
          .createAccessor()
          .setType('VEC4')
          .setArray(Float32Array.of(0, 0, 0, 1, 0, 0.1, 0, 0.995)),
      );
    document
      .createAnimation('nod')
      .addSampler(sampler)
      .addChannel(
        document
          .createAnimationChannel()
          .setTargetNode(skeleton.joints[head])
          .setTargetPath('rotation')
          .setSampler(sampler),
      );
    const was = skeleton.joints.map((joint) => joint.getRotation());
    changeRest(document, armsOut(document), 'exact');
    const held = document
      .getRoot()
      .listAnimations()[0]
      .listChannels()
      .filter((channel) => channel.getTargetPath() === 'rotation');
    const arm = held.find((channel) => channel.getTargetNode()?.getName() === 'leftUpperArm');
    expect(arm?.getSampler()?.getOutput()?.getElement(0, [])).toEqual(
      was[skeleton.joints.findIndex((joint) => joint.getName() === 'leftUpperArm')].map((x) => expect.closeTo(x, 6)),
    );
  });
});

describe('bakeMotion', () => {
  it('with no motion changes no place', () => {
    const document = stickFigure(),
      before = rest(document),
      still = new Float64Array(skeletonOf(document).joints.length * 16).map((_, i) => ((i & 15) % 5 === 0 ? 1 : 0));
    expect(bakeMotion(document, still, 'exact').stretch).toBeCloseTo(1, 6);
    expect(apart(before, rest(document))).toBeLessThan(1e-6);
  });
  it('leaves a vertex where it is where the blend folds flat', () => {
    const document = stickFigure(),
      skeleton = skeletonOf(document),
      turns = skeleton.joints.map(
        (joint): Quat => (joint.getName() === 'leftLowerArm' ? quatFromAxis([0, 0, 1], Math.PI) : [0, 0, 0, 1]),
      );
    changeRest(document, turns, 'exact');
    expect(rest(document).every(Number.isFinite)).toBe(true);
  });
});

describe('bakeSkeleton', () => {
  const posed = () => {
    const document = stickFigure(),
      skeleton = skeletonOf(document),
      arm = skeleton.joints.find((joint) => joint.getName() === 'leftUpperArm');
    arm?.setRotation(quatFromAxis([0, 0, 1], 0.7));
    return document;
  };
  it('leaves the mesh as its joints held it, without joints, skins and what was remembered of them', () => {
    const document = posed();
    updateDossier(document, { homePose: { hips: { t: [0, 1, 0], r: [0, 0, 0, 1] } } });
    const before = rest(document),
      joints = skeletonOf(document).joints.length;
    expect(bakeSkeleton(document).joints).toBe(joints);
    expect(apart(before, rest(document))).toBeLessThan(1e-5);
    expect(document.getRoot().listSkins()).toEqual([]);
    expect(skeletonOf(document).joints).toEqual([]);
    expect(readDossier(document).homePose).toBeUndefined();
    for (const { prim } of listParts(document))
      expect(prim.listSemantics().filter((name) => /^(JOINTS|WEIGHTS)/.test(name))).toEqual([]);
  });
  it('takes clips out that turned joints, with their samplers, and leaves what plays on', () => {
    const document = posed(),
      clip = document.createAnimation('wave'),
      both = document.createAnimation('talk and nod'),
      body = document
        .getRoot()
        .listNodes()
        .find((node) => node.getMesh()) as Node;
    const sampler = () => document.createAnimationSampler(),
      channel = (path: 'rotation' | 'weights', node: Node) =>
        document.createAnimationChannel().setTargetPath(path).setTargetNode(node).setSampler(sampler());
    const joint = skeletonOf(document).joints[3],
      nod = channel('rotation', joint),
      talk = channel('weights', body),
      wave = channel('rotation', joint);
    for (const [animation, one] of [
      [clip, wave],
      [both, nod],
      [both, talk],
    ] as const)
      animation.addChannel(one).addSampler(one.getSampler() as AnimationSampler);
    expect(bakeSkeleton(document).clips).toEqual(['wave']);
    expect(document.getRoot().listAnimations()).toEqual([both]);
    expect([both.listChannels(), both.listSamplers()]).toEqual([[talk], [talk.getSampler()]]);
  });
  it('tells what it did, and what plays no more', async () => {
    const document = posed(),
      joints = skeletonOf(document).joints.length,
      still = parseTarget({ ...SHIPPED_TARGETS[0], joints: { ...SHIPPED_TARGETS[0].joints, keep: 'none' } });
    const { findings, measures } = await bakeSkeletonStep.run(document, {}, still, testContext());
    expect(findings).toMatchObject([{ code: 'skeleton.baked', severity: 'info', measured: joints }]);
    expect(measures).toMatchObject([{ code: 'joints', source: joints, result: 0 }]);
  });
  it('poses by turning joints alone, the lowest point where it was', () => {
    const document = stickFigure(),
      floor = lowest(document),
      before = rest(document),
      names = skeletonOf(document).joints.map((joint) => joint.getName()),
      turn = quatFromAxis([1, 0, 0], 1.2);
    standAs(
      document,
      names.map((name): Quat => (/^(left|right)(UpperLeg|LowerLeg|Foot|Toes)$/.test(name) ? turn : [0, 0, 0, 1])),
    );
    expect(apart(before, rest(document))).toBeGreaterThan(0.2);
    expect(lowest(document)).toBeCloseTo(floor, 4);
  });
  it('leaves what hung on a joint where that held it, and what stood apart untouched', () => {
    const document = posed(),
      [scene] = document.getRoot().listScenes();
    const triangle = (at: number[]) =>
      document.createMesh().addPrimitive(
        document.createPrimitive().setAttribute(
          'POSITION',
          document
            .createAccessor()
            .setType('VEC3')
            .setArray(Float32Array.of(...at, at[0] + 0.1, at[1], at[2], at[0], at[1] + 0.1, at[2])),
        ),
      );
    const lamp = document.createNode('Lamp').setMesh(triangle([0.1, 0, 0])),
      crate = document
        .createNode('Crate')
        .setMesh(triangle([0, 0, 0]))
        .setTranslation([2, 0, 0]);
    skeletonOf(document)
      .joints.find((joint) => joint.getName() === 'leftHand')
      ?.addChild(lamp);
    scene.addChild(crate);
    /** Parts come in another order once the joints are gone. */
    const byName = () => {
      const d = createDeformer(document),
        points = d.evaluate(new Float32Array(d.vertices * 3));
      return new Map(
        d.ranges.map(({ part, firstVertex, vertices }) => [
          part.node.getName(),
          points.slice(firstVertex * 3, (firstVertex + vertices) * 3),
        ]),
      );
    };
    const before = byName();
    bakeSkeleton(document);
    const after = byName();
    for (const [name, points] of before) expect(apart(points, after.get(name) as Float32Array)).toBeLessThan(1e-5);
    expect(crate.getTranslation()).toEqual([2, 0, 0]);
    expect(listParts(document).map((part) => part.node.getName())).toEqual(expect.arrayContaining(['Lamp', 'Crate']));
  });
});

/** A smooth sleeve along +X from the shoulder, weights going over from one joint to the next half way: what a jacket's arm is. */
function sleeve(): { document: Document; skeleton: Skeleton } {
  const document = new Document(),
    scene = document.createScene(),
    rings = 40,
    sides = 24,
    points: number[] = [],
    normals: number[] = [],
    joints: number[] = [],
    weights: number[] = [],
    indices: number[] = [];
  for (let r = 0; r <= rings; r++)
    for (let s = 0; s < sides; s++) {
      const x = r / rings,
        a = (2 * Math.PI * s) / sides,
        u = Math.max(0, Math.min(1, (x - 0.35) / 0.3)),
        w = u * u * (3 - 2 * u);
      points.push(x, 1.4 + 0.08 * Math.cos(a), 0.08 * Math.sin(a));
      normals.push(0, Math.cos(a), Math.sin(a));
      joints.push(0, 1, 0, 0);
      weights.push(1 - w, w, 0, 0);
      const at = r * sides + s,
        next = r * sides + ((s + 1) % sides);
      if (r < rings) indices.push(at, next, at + sides, next, next + sides, at + sides);
    }
  const accessor = (
    type: 'VEC3' | 'VEC4' | 'SCALAR' | 'MAT4',
    array: Float32Array<ArrayBuffer> | Uint16Array<ArrayBuffer>,
  ) => document.createAccessor().setType(type).setArray(array);
  const root = document.createNode('upper').setTranslation([0, 1.4, 0]),
    fore = document.createNode('fore').setTranslation([0.5, 0, 0]),
    eye = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0];
  scene.addChild(root.addChild(fore));
  const skin = document
    .createSkin()
    .addJoint(root)
    .addJoint(fore)
    .setInverseBindMatrices(accessor('MAT4', Float32Array.of(...eye, 0, -1.4, 0, 1, ...eye, -0.5, -1.4, 0, 1)));
  const prim = document
    .createPrimitive()
    .setAttribute('POSITION', accessor('VEC3', Float32Array.from(points)))
    .setAttribute('NORMAL', accessor('VEC3', Float32Array.from(normals)))
    .setAttribute('JOINTS_0', accessor('VEC4', Uint16Array.from(joints)))
    .setAttribute('WEIGHTS_0', accessor('VEC4', Float32Array.from(weights)))
    .setIndices(accessor('SCALAR', Uint16Array.from(indices)));
  scene.addChild(document.createNode('sleeve').setMesh(document.createMesh().addPrimitive(prim)).setSkin(skin));
  return { document, skeleton: skeletonOf(document) };
}

describe('normals after a change of rest pose', () => {
  /** Angles between stored normals and such as the triangles give, degrees; and how many triangles look against their corners. */
  const judged = (document: Document) => {
    const [{ prim }] = listParts(document),
      points = floatsOf(prim.getAttribute('POSITION') as never),
      stored = floatsOf(prim.getAttribute('NORMAL') as never),
      indices = trianglesOf(prim),
      real = vertexNormals(points, indices);
    const angles = Array.from({ length: points.length / 3 }, (_, v) => {
      const i = v * 3;
      return (
        (Math.acos(
          Math.max(-1, Math.min(1, stored[i] * real[i] + stored[i + 1] * real[i + 1] + stored[i + 2] * real[i + 2])),
        ) *
          180) /
        Math.PI
      );
    });
    let against = 0;
    for (let t = 0; t < indices.length; t += 3) {
      const n = [0, 1, 2].map((k) => [0, 1, 2].reduce((sum, c) => sum + stored[indices[t + c] * 3 + k], 0)),
        [a, b, c] = [0, 1, 2].map((k) => [...points.subarray(indices[t + k] * 3, indices[t + k] * 3 + 3)]),
        u = sub(b as Vec3, a as Vec3),
        w = sub(c as Vec3, a as Vec3);
      if (dot(cross(u, w), n as Vec3) <= 0) against++;
    }
    return { mean: angles.reduce((sum, x) => sum + x, 0) / angles.length, most: Math.max(...angles), against };
  };
  it.each(['exact', 'forward'] as const)('lie on the bent surface, where weights change too: %s', (method) => {
    for (const degrees of [30, 45, -60]) {
      const { document, skeleton } = sleeve(),
        before = judged(document);
      changeRest(document, [[0, 0, 0, 1], quatFromAxis([0, 0, 1], (degrees * Math.PI) / 180)], method, skeleton);
      const after = judged(document);
      expect(before.most).toBeLessThan(3);
      expect(after.mean).toBeLessThan(1);
      expect(after.most).toBeLessThan(15);
      expect(after.against).toBe(0);
    }
  });
  it('keep seams closed: vertices at one place that looked one way still do', () => {
    const { document, skeleton } = sleeve(),
      [{ prim }] = listParts(document);
    // Each triangle gets corners of its own, as a texture's seams would have it.
    const indices = trianglesOf(prim),
      split = (name: string, size: number) => {
        const accessor = prim.getAttribute(name),
          array = accessor?.getArray();
        if (accessor && array)
          prim.setAttribute(
            name,
            accessor
              .clone()
              .setArray(Float32Array.from([...indices].flatMap((v) => [...array.slice(v * size, v * size + size)]))),
          );
      };
    split('POSITION', 3);
    split('NORMAL', 3);
    split('WEIGHTS_0', 4);
    const joints = prim.getAttribute('JOINTS_0');
    joints?.setArray(Uint16Array.from(Array.from(indices).flatMap(() => [0, 1, 0, 0])));
    prim.setIndices(document.createAccessor().setType('SCALAR').setArray(Uint32Array.from(indices.keys())));
    changeRest(document, [[0, 0, 0, 1], quatFromAxis([0, 0, 1], 0.8)], 'exact', skeleton);
    const points = floatsOf(prim.getAttribute('POSITION') as never),
      normals = floatsOf(prim.getAttribute('NORMAL') as never),
      at = new Map<string, number>();
    for (let v = 0; v < points.length / 3; v++) {
      const key = points.slice(v * 3, v * 3 + 3).join(),
        first = at.get(key);
      if (first === undefined) {
        at.set(key, v);
        continue;
      }
      for (let k = 0; k < 3; k++) expect(normals[v * 3 + k]).toBeCloseTo(normals[first * 3 + k], 5);
    }
    expect(at.size).toBeLessThan(points.length / 3 / 4);
  });
});

describe('rest.convert', () => {
  const target = parseTarget({ ...SHIPPED_TARGETS[0], restPose: 'arms-out' });
  const settings = { pose: undefined, method: 'better' as const };
  it('converts to what the target wants, tells what it cost, and does nothing where the pose is right already', async () => {
    const document = stickFigure(),
      first = await restStep.run(document, settings, target, testContext());
    expect(first.measures.find((measure) => measure.name === 'arms below straight out')).toMatchObject({
      source: 45,
      result: 0,
    });
    expect(first.measures.find((measure) => measure.name === 'off in the range of motion')?.result).toBeLessThan(12);
    const before = rest(document),
      again = await restStep.run(document, settings, target, testContext());
    expect(again.measures.find((measure) => measure.name === 'largest turn')?.result).toBe(0);
    expect(apart(before, rest(document))).toBe(0);
  });
  it('is compared in the pose the source came in: at rest nothing differs', async () => {
    const document = stickFigure(),
      source = copyDocument(document);
    await restStep.run(document, { ...settings, method: 'exact' }, target, testContext());
    takeHome(document);
    const parity = await compareCharacters(source, document, { samples: 2000 });
    expect(parity.shape.rest.maxMm).toBeLessThan(0.01);
  });
  it('says that a pose of a figure needs a figure', async () => {
    expect(
      (await restStep.run(stickFigure(), { ...settings, pose: 'figure' }, target, testContext())).findings[0].code,
    ).toBe('rest.no-figure');
  });
  it('blends forward for a figure without joints, whatever moves better', async () => {
    // As linear blending bends it, to the bit.
    const still = stickFigure(),
      wanted = stickFigure();
    changeRest(wanted, armsOut(wanted), 'forward');
    const joints = { ...SHIPPED_TARGETS[0].joints, keep: 'none' };
    await restStep.run(
      still,
      { pose: 'arms-out', method: 'better' },
      parseTarget({ ...SHIPPED_TARGETS[0], joints }),
      testContext(),
    );
    expect(apart(rest(wanted), rest(still))).toBe(0);
  });
  it('weighs both ways by what vertices do in poses: an error that is known', () => {
    // One joint that turns a lone vertex half: forward blending leaves it short, the exact way brings it back.
    const document = stickFigure(),
      skeleton = skeletonOf(document),
      roles = rolesOf(document),
      turns = armsOut(document),
      errors = restErrors(document, turns, skeleton, roles),
      half = restErrors(
        document,
        turns.map((turn): Quat => {
          const [x, y, z, w] = turn,
            l = Math.hypot(x, y, z, w + 1);
          return [x / l, y / l, z / l, (w + 1) / l];
        }),
        skeleton,
        roles,
      );
    // Half the turn is less than half the error: it grows faster than the angle.
    expect(half.exact).toBeLessThan(errors.exact * 0.5);
    expect(half.forward).toBeLessThan(errors.forward * 0.5);
    expect(errors.exact).toBeGreaterThan(0.3);
    expect(errors.exact).toBeLessThan(30);
  });
  it('tells errors in millimetres: how far vertices really lie apart in the poses', () => {
    const document = stickFigure(),
      roles = rolesOf(document),
      turns = armsOut(document),
      told = restErrors(document, turns, skeletonOf(document), roles);
    for (const method of ['exact', 'forward'] as const) {
      const result = copyDocument(document);
      changeRest(result, turns, method);
      // Poses are away from the one it came in.
      takeHome(result);
      const [a, b] = [createDeformer(document), createDeformer(result)];
      let squares = 0;
      for (const pose of RANGE_OF_MOTION) {
        const at = a.evaluate(new Float32Array(a.vertices * 3), {}, poseSkeleton(a.skeleton, roles, pose)),
          there = b.evaluate(new Float32Array(b.vertices * 3), {}, poseSkeleton(b.skeleton, rolesOf(result), pose));
        at.forEach((x, i) => {
          squares += (x - there[i]) ** 2;
        });
      }
      const really = Math.sqrt(squares / (a.vertices * RANGE_OF_MOTION.length)) * 1000;
      // Told from vertices drawn by lot.
      expect(told[method] / really).toBeGreaterThan(0.93);
      expect(told[method] / really).toBeLessThan(1.07);
    }
  });
  it('says what the change costs in the way it took', async () => {
    const document = stickFigure(),
      { exact } = restErrors(document, armsOut(document), skeletonOf(document), rolesOf(document)),
      { measures } = await restStep.run(document, { ...settings, method: 'exact' }, target, testContext());
    expect(measureOf(measures, 'off-in-motion')?.result).toBeCloseTo(exact, 2);
    expect(measureOf(measures, 'off-in-motion')?.unit).toBe('mm');
  });
  it('puts arms down by 45°, from straight out too', async () => {
    const document = stickFigure();
    await restStep.run(document, settings, target, testContext());
    const down = await restStep.run(document, { ...settings, pose: 'arms-down' }, target, testContext());
    expect(measureOf(down.measures, 'arms-below-straight-out')).toMatchObject({ source: 0, result: 45 });
  });
  it('takes the method that moves more like the source', () => {
    const document = stickFigure(),
      errors = restErrors(document, armsOut(document), skeletonOf(document), rolesOf(document));
    expect(errors.exact).toBeGreaterThan(0);
    expect(errors.forward).toBeGreaterThan(0);
    expect(
      restErrors(
        document,
        skeletonOf(document).joints.map((): Quat => [0, 0, 0, 1]),
        skeletonOf(document),
        rolesOf(document),
      ),
    ).toEqual({ exact: expect.closeTo(0, 6), forward: expect.closeTo(0, 6) });
  });
});
