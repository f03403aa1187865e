import { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import {
  createDeformer,
  influencesOf,
  jointPosition,
  listParts,
  readDossier,
  skeletonOf,
  updateDossier,
  type HumanoidRole,
  copyDocument,
  weightSumError,
} from '../character/index.ts';
import { quatFromAxis, seededRandom } from '../geometry/index.ts';
import { hanimFigure, parseFigure, SHIPPED_FIGURES, shippedFigure, type Figure } from '../targets/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import {
  armsDown,
  directionsOf,
  figureByNames,
  figureDocument,
  jointRoles,
  learnFigure,
  pairInOrder,
  poseSkeleton,
  RANGE_OF_MOTION,
  recogniseFigure,
  roleIndex,
  rolesFromSource,
  sampleClips,
  turnsToward,
} from '../rig/index.ts';
import { asJointPlans, planFigure, refigure } from './index.ts';

const vertices = (document: Document, pose?: (typeof RANGE_OF_MOTION)[number]) => {
  const d = createDeformer(document);
  return d.evaluate(
    new Float32Array(d.vertices * 3),
    {},
    pose && poseSkeleton(d.skeleton, roleIndex(jointRoles(document, d.skeleton)), pose),
  );
};
const apart = (a: Float32Array, b: Float32Array) => a.reduce((most, x, i) => Math.max(most, Math.abs(x - b[i])), 0);
const learned = () => learnFigure(stickFigure({ name: (role) => `x_${role}` }), { id: 'stick', title: 'Stick' });
const named = (document: Document) => {
  const s = skeletonOf(document);
  return s.joints
    .map((joint, i) => `${joint.getName()} < ${s.parent[i] < 0 ? '' : s.joints[s.parent[i]].getName()}`)
    .sort();
};
const become = (document: Document, figure: Figure, spread = false) => {
  const plan = planFigure(document, figure);
  refigure(document, plan, { spread });
  return plan;
};

describe('figures', () => {
  it('have the joints of each level of ISO/IEC 19774-1', () => {
    expect([1, 2, 3].map((level) => hanimFigure(level as 1 | 2 | 3).joints.length)).toEqual([18, 71, 94]);
    const four = new Set(hanimFigure(4).joints.map((joint) => joint.name));
    // Level 4 adds the small bones: 28 joints of trunk and head, 6 of the face, 28 in either arm, 28 in either leg.
    expect(four.size).toBe(28 + 6 + 2 * 28 + 2 * 28);
    for (const side of ['l', 'r']) {
      expect([...four].filter((name) => new RegExp(`^${side}_.*carp|^${side}_midcarpal`).test(name))).toHaveLength(
        1 + 4 + 5 + 5 + 1 + 4 + 4,
      );
      expect([...four].filter((name) => new RegExp(`^${side}_.*(tars|talo|cuneo|calcaneo)`).test(name))).toHaveLength(
        2 + 3 + 2 + 5 + 5 + 1 + 4 + 4,
      );
    }
    for (const joint of hanimFigure(3).joints) expect(four, joint.name).toContain(joint.name);
  });
  it('are refused with the field that is wrong', () => {
    const figure = learned();
    expect(() => parseFigure({ ...figure, joints: [{ ...figure.joints[1], parent: 'nobody' }] })).toThrow(
      /every parent listed before its children/,
    );
    expect(() => parseFigure({ ...figure, joints: [figure.joints[0], figure.joints[0]] })).toThrow(/names that differ/);
    expect(() => parseFigure({ ...figure, heightM: 'tall' })).toThrow(/heightM/);
  });
  it('are learned from a sample and give it back to itself unchanged', () => {
    const document = stickFigure({ name: (role) => `x_${role}` }),
      before = vertices(document),
      names = named(document);
    const plan = become(document, learned());
    expect(plan.gone.size).toBe(0);
    expect(plan.joints.every((joint) => joint.from >= 0)).toBe(true);
    expect(named(document)).toEqual(names);
    expect(apart(before, vertices(document))).toBeLessThan(1e-6);
  });
});

describe('figureByNames', () => {
  it.each(SHIPPED_FIGURES.map((figure) => [figure.title, figure] as const))(
    'knows a %s by its joints, and their roles with it',
    (_, figure) => {
      const document = figureDocument(figure),
        names = skeletonOf(document).joints.map((joint) => joint.getName());
      expect(figureByNames(names)?.id).toBe(figure.id);
      updateDossier(document, { declaredRoles: {} });
      expect(jointRoles(document).map((found) => found.role)).toEqual(
        names.map((name) => figure.joints.find((joint) => joint.name === name)?.role),
      );
      expect(figureByNames(names.map((name) => `${name}_x`))).toBeNull();
    },
  );
  it('takes roles, corrections among them, from a figure that was learned before', () => {
    const document = stickFigure({ name: (role) => `q${role.length}${role.slice(-3)}${role.slice(0, 2)}` }),
      figure = learnFigure(document, { id: 'own', title: 'Own' });
    figure.joints[4].role = 'extra';
    expect(recogniseFigure(document, [...SHIPPED_FIGURES, figure])?.id).toBe('own');
    expect(jointRoles(document)[4]).toMatchObject({ role: 'extra', reason: 'by name, as in figure Own' });
  });
});

describe('pairInOrder', () => {
  it('pairs as many as the shorter list holds, without crossing, at the least cost', () => {
    const a = [0, 0.2, 0.5, 0.9],
      b = [0.45, 1];
    expect(pairInOrder([4, 2], (i, j) => Math.abs(a[i] - b[j]))).toEqual([
      [2, 0],
      [3, 1],
    ]);
    expect(pairInOrder([0, 3], () => 0)).toEqual([]);
  });
  it('agrees with trying every way', () => {
    const random = seededRandom(3);
    for (let round = 0; round < 40; round++) {
      const n = 1 + Math.floor(random() * 5),
        m = 1 + Math.floor(random() * 5),
        cost = Array.from({ length: n }, () => Array.from({ length: m }, () => random()));
      const sum = (pairs: [number, number][]) => pairs.reduce((total, [i, j]) => total + cost[i][j], 0);
      let best = Infinity;
      const walk = (i: number, j: number, left: number, total: number) => {
        if (!left) {
          best = Math.min(best, total);
          return;
        }
        for (let a = i; a < n; a++) for (let b = j; b < m; b++) walk(a + 1, b + 1, left - 1, total + cost[a][b]);
      };
      walk(0, 0, Math.min(n, m), 0);
      expect(sum(pairInOrder([n, m], (i, j) => cost[i][j]))).toBeCloseTo(best, 9);
    }
  });
});

describe('planFigure and refigure', () => {
  it.each(SHIPPED_FIGURES.map((figure) => [figure.title, figure] as const))(
    'make a character a %s: names and parents as the figure has them, mesh unmoved, sums kept',
    (_, figure) => {
      const document = stickFigure({
        name: (role) => `x_${role}`,
        extra: { arm_twist_l: { under: 'leftUpperArm', at: [0.3, 1.3, 0] } },
      });
      const before = vertices(document);
      become(document, figure);
      expect(named(document)).toEqual(figure.joints.map((joint) => `${joint.name} < ${joint.parent ?? ''}`).sort());
      expect(apart(before, vertices(document))).toBeLessThan(2e-6);
      for (const part of listParts(document)) expect(weightSumError(part.prim)).toBeLessThan(1e-6);
      const skeleton = skeletonOf(document);
      expect(skeleton.global.every(Number.isFinite)).toBe(true);
    },
  );
  it('bend as before where no joint is lost, in every pose', () => {
    const document = stickFigure(),
      source = copyDocument(document);
    become(document, shippedFigure('gltf-neutral') as Figure);
    for (const pose of RANGE_OF_MOTION)
      expect(apart(vertices(source, pose), vertices(document, pose)), pose.name).toBeLessThan(1e-5);
  });
  it('turn joints as the figure has them, and nothing moves in any pose', () => {
    const figure = learned(),
      tilted = parseFigure({
        ...figure,
        joints: figure.joints.map((joint, i) => ({ ...joint, turn: quatFromAxis([1, i % 3, 0.5], 0.3 + i * 0.07) })),
      });
    const document = stickFigure({ name: (role) => `x_${role}` }),
      source = copyDocument(document);
    become(document, tilted);
    for (const pose of RANGE_OF_MOTION)
      expect(apart(vertices(source, pose), vertices(document, pose)), pose.name).toBeLessThan(1e-5);
    const skeleton = skeletonOf(document),
      at = skeleton.joints.findIndex((joint) => joint.getName() === 'x_hips');
    expect(
      Math.abs(skeleton.joints[at].getRotation().reduce((sum, x, k) => sum + x * tilted.joints[0].turn[k], 0)),
    ).toBeCloseTo(1, 6);
  });
  it('put joints that are missing between those that are there', () => {
    const document = stickFigure();
    become(document, hanimFigure(3));
    const skeleton = skeletonOf(document),
      heightOf = (name: string) =>
        jointPosition(
          skeleton,
          skeleton.joints.findIndex((joint) => joint.getName() === name),
        )[1];
    const spine = [
      'humanoid_root',
      'vl5',
      'vl4',
      'vl3',
      'vl2',
      'vl1',
      'vt12',
      'vt11',
      'vt10',
      'vt9',
      'vt8',
      'vt7',
      'vt6',
      'vt5',
      'vt4',
      'vt3',
      'vt2',
      'vt1',
      'vc7',
      'vc6',
      'skullbase',
    ].map(heightOf);
    expect([...spine].sort((a, b) => a - b)).toEqual(spine);
  });
  it('spread weight over joints that were put in only when asked, and keep the sums', () => {
    const weightOn = (spread: boolean) => {
      const document = stickFigure();
      become(document, hanimFigure(3), spread);
      const skeleton = skeletonOf(document),
        part = listParts(document)[0],
        influences = influencesOf(part.prim),
        joints = part.node.getSkin()?.listJoints() ?? [];
      expect(weightSumError(part.prim)).toBeLessThan(1e-6);
      expect(skeleton.joints.length).toBe(94);
      const on = new Set<string>();
      influences?.joints.forEach((joint, k) => {
        if (influences.weights[k] > 0) on.add(joints[joint].getName());
      });
      return on;
    };
    expect(weightOn(false).has('vl3')).toBe(false);
    expect(weightOn(true).has('vl3')).toBe(true);
  });
  it('share the weight of spine joints that the figure lacks between the joints beside them', () => {
    const document = stickFigure(),
      plan = planFigure(document, hanimFigure(1)),
      skeleton = skeletonOf(document);
    const chest = skeleton.joints.findIndex((joint) => joint.getName() === 'chest'),
      shares = plan.shares[chest];
    expect(shares.reduce((sum, share) => sum + share.amount, 0)).toBeCloseTo(1, 9);
    expect(shares.map((share) => plan.joints[share.to].name)).toEqual(['vl5', 'skullbase']);
    expect(asJointPlans(plan)[chest]).toMatchObject({ target: null, why: 'shared between the spine joints beside it' });
  });
  it('follow what was tied by hand', () => {
    const document = stickFigure({ name: (role) => `x_${role}` }),
      skeleton = skeletonOf(document);
    const plan = planFigure(document, shippedFigure('vrm-1') as Figure, {
      ties: { x_leftHand: 'rightHand', x_rightHand: '' },
    });
    expect(skeleton.joints[plan.joints.find((joint) => joint.name === 'rightHand')?.from ?? -1].getName()).toBe(
      'x_leftHand',
    );
    expect(plan.joints.find((joint) => joint.name === 'leftHand')?.from).toBe(-1);
  });
  it('find joints again that another figure had no place for: names, parents and places return exactly', () => {
    const figure = learned(),
      document = stickFigure({ name: (role) => `x_${role}` }),
      before = skeletonOf(document),
      rest = vertices(document);
    become(document, hanimFigure(1));
    expect(Object.keys(readDossier(document).formerJoints ?? {}).length).toBeGreaterThan(30);
    become(document, figure);
    const after = skeletonOf(document);
    expect(named(document)).toEqual(figure.joints.map((joint) => `${joint.name} < ${joint.parent ?? ''}`).sort());
    before.joints.forEach((joint, i) => {
      const j = after.joints.findIndex((other) => other.getName() === joint.getName());
      for (let k = 12; k < 15; k++) expect(after.global[j * 16 + k]).toBeCloseTo(before.global[i * 16 + k], 5);
    });
    expect(apart(rest, vertices(document))).toBeLessThan(2e-6);
  });
  it("bend through the joints that the source's became, not through those that were put in", () => {
    const document = stickFigure(),
      source = copyDocument(document),
      a = skeletonOf(source),
      aRoles = roleIndex(jointRoles(source, a));
    // A figure whose chest stands where the source has its upper chest: nearness pairs them, and another chest is put in below.
    const figure = learned();
    const moved = parseFigure({
      ...figure,
      joints: figure.joints.flatMap((entry) =>
        entry.role === 'chest'
          ? [{ ...entry, name: 'low', role: 'chest' }]
          : entry.role === 'upperChest'
            ? []
            : [{ ...entry, parent: entry.parent === 'x_upperChest' ? 'low' : entry.parent }],
      ),
    });
    become(document, moved);
    const b = skeletonOf(document),
      roles = rolesFromSource(
        { skeleton: a, roles: aRoles },
        { skeleton: b, roles: roleIndex(jointRoles(document, b)) },
        readDossier(document).renamedJoints,
      );
    // Every turn of the source has a joint to happen in, and each joint that kept its place has its own.
    for (const role of ['spine', 'chest', 'upperChest', 'neck', 'head', 'leftUpperArm', 'rightFoot'] as const)
      expect(roles.has(role), role).toBe(true);
    expect(['low', 'x_spine']).toContain(b.joints[roles.get('chest') as number].getName());
    expect(b.joints[roles.get('upperChest') as number].getName()).toBe('low');
    const renamed = readDossier(document).renamedJoints ?? {};
    for (const role of ['neck', 'leftLowerArm', 'rightUpperLeg'] as const)
      expect(b.joints[roles.get(role) as number].getName()).toBe(renamed[role] ?? role);
  });
  it('turn nothing that the source has no turn for', () => {
    const few = stickFigure(),
      skeleton = skeletonOf(few),
      all = roleIndex(jointRoles(few, skeleton)),
      source = new Map([...all].filter(([role]) => role !== 'upperChest' && role !== 'leftToes'));
    const roles = rolesFromSource({ skeleton, roles: source }, { skeleton, roles: all });
    expect(roles.has('upperChest')).toBe(false);
    expect(roles.has('leftToes')).toBe(false);
    expect(new Map([...roles].sort())).toEqual(new Map([...source].sort()));
  });
  it("are all the result's own where the source has no skeleton: what was bound here can be posed", () => {
    const document = stickFigure(),
      skeleton = skeletonOf(document),
      own = roleIndex(jointRoles(document, skeleton)),
      none = skeletonOf(new Document());
    expect(rolesFromSource({ skeleton: none, roles: new Map() }, { skeleton, roles: own })).toEqual(own);
  });
  it('let clips play what they played, whatever parents and axes the joints got', () => {
    const document = stickFigure();
    const joint = (role: HumanoidRole) => skeletonOf(document).joints.find((entry) => entry.getName() === role);
    const clip = document.createAnimation('wave'),
      times = document
        .createAccessor()
        .setType('SCALAR')
        .setArray(Float32Array.of(0, 0.5, 1));
    for (const [role, axis] of [
      ['leftUpperArm', [0, 0, 1]],
      ['chest', [1, 0, 0]],
      ['leftLowerArm', [0, 1, 0]],
    ] as const) {
      const keys = [0, 0.6, -0.4].flatMap((angle) => quatFromAxis([...axis], angle));
      const sampler = document
        .createAnimationSampler()
        .setInput(times)
        .setOutput(document.createAccessor().setType('VEC4').setArray(Float32Array.from(keys)));
      clip.addSampler(sampler).addChannel(
        document
          .createAnimationChannel()
          .setTargetNode(joint(role) ?? null)
          .setTargetPath('rotation')
          .setSampler(sampler),
      );
    }
    const figure = learned(),
      source = copyDocument(document);
    become(
      document,
      parseFigure({
        ...figure,
        joints: figure.joints.map((entry) => ({
          ...entry,
          name: `y_${entry.name}`,
          parent: entry.parent && `y_${entry.parent}`,
          turn: quatFromAxis([0.3, 1, 0.2], 0.8),
        })),
      }),
    );
    const playing = (of: Document) => {
      const skeleton = skeletonOf(of),
        [sampled] = sampleClips(of, new Set(skeleton.joints));
      return [0, 1, 2].map((i) => {
        const posed = new Float64Array(skeleton.joints.length * 16);
        skeleton.joints.forEach((node, j) => posed.set(sampled.global(node).subarray(i * 16, i * 16 + 16), j * 16));
        const d = createDeformer(of);
        return d.evaluate(new Float32Array(d.vertices * 3), {}, posed);
      });
    };
    const a = playing(source),
      b = playing(document);
    a.forEach((frame, i) => expect(apart(frame, b[i])).toBeLessThan(1e-5));
    expect(apart(a[0], a[1])).toBeGreaterThan(0.05);
  });
  it('give nothing that is no number, whatever skeleton they meet', () => {
    const random = seededRandom(11);
    for (let round = 0; round < 12; round++) {
      const document = stickFigure({ name: () => `j${Math.floor(random() * 1e6)}` });
      for (const joint of skeletonOf(document).joints) {
        if (random() < 0.3) joint.setTranslation([0, 0, 0]);
        if (random() < 0.2) joint.setRotation(quatFromAxis([random(), random(), random()], random() * 6));
      }
      become(document, SHIPPED_FIGURES[round % SHIPPED_FIGURES.length]);
      expect(skeletonOf(document).global.every(Number.isFinite)).toBe(true);
      expect(vertices(document).every(Number.isFinite)).toBe(true);
    }
  });
});

describe('turnsToward', () => {
  it('turns nothing where a skeleton stands as wanted, and reaches another pose exactly', () => {
    const skeleton = skeletonOf(stickFigure()),
      roles = roleIndex(jointRoles(stickFigure()));
    for (const turn of turnsToward(skeleton, roles, directionsOf(skeleton, roles)))
      expect(Math.abs(turn[3])).toBeCloseTo(1, 9);
    expect(armsDown(skeleton, roles)).toBeCloseTo(45, 0);
  });
});
