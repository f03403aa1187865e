import type { SkeletonRule } from '../targets/index.ts';
import { describe, expect, it } from 'vitest';
import {
  createDeformer,
  globalMatrix,
  HUMANOID_ROLES,
  influencesOf,
  readDossier,
  skeletonOf,
  updateDossier,
  type HumanoidRole,
} from '../character/index.ts';
import { invertAffine, seededRandom } from '../geometry/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { jointRoles, poseSkeleton, RANGE_OF_MOTION, roleIndex, rolesByShape } from '../rig/index.ts';
import { missingRoles, planSkeleton, remapSkeleton } from './index.ts';

const HABITS: Record<string, (role: HumanoidRole) => string> = {
  'role ids': (role) => role,
  'snake with side letter behind': (role) =>
    role.replace(
      /^(left|right)(.+)$/,
      (_, side: string, rest: string) =>
        `${rest
          .replace(/([A-Z])/g, '_$1')
          .slice(1)
          .toLowerCase()}_${side[0]}`,
    ),
  'side in front with points': (role) =>
    role.replace(/^(left|right)(.+)$/, (_, side: string, rest: string) => `${side[0].toUpperCase()}.${rest}`),
  German: (role) =>
    role.replace(
      /^(left|right)?(.+)$/,
      (_, side: string | undefined, rest: string) =>
        `${({ Head: 'Kopf', head: 'Kopf', neck: 'Hals', hips: 'Becken', jaw: 'Kiefer', UpperArm: 'Oberarm', LowerArm: 'Unterarm', UpperLeg: 'Oberschenkel', LowerLeg: 'Unterschenkel', Foot: 'Fuss' } as Record<string, string>)[rest] ?? rest}${side ? (side === 'left' ? '_links' : '_rechts') : ''}`,
    ),
};
const everything: SkeletonRule = { keep: 'all', names: {} };
const rest = (document: ReturnType<typeof stickFigure>) => {
  const d = createDeformer(document);
  return d.evaluate(new Float32Array(d.vertices * 3));
};

describe('jointRoles', () => {
  it.each(Object.entries(HABITS))('finds every role with names in the habit: %s', (_habit, name) => {
    const document = stickFigure({ name });
    const roles = jointRoles(document);
    skeletonOf(document).joints.forEach((joint, i) =>
      expect(`${joint.getName()}: ${roles[i].role}`).toBe(
        `${joint.getName()}: ${HUMANOID_ROLES.find((role) => name(role) === joint.getName())}`,
      ),
    );
  });
  it('finds at least 95 % of the roles by shape alone', () => {
    const random = seededRandom(5);
    const names = new Map(HUMANOID_ROLES.map((role) => [role, `j${Math.floor(random() * 1e9)}`]));
    const document = stickFigure({ name: (role) => names.get(role) as string });
    const joints = skeletonOf(document).joints.map((joint) => joint.getName());
    const found = jointRoles(document);
    const right = joints.filter((joint, i) => names.get(found[i].role as HumanoidRole) === joint).length;
    expect(right / joints.length).toBeGreaterThanOrEqual(0.95);
    expect(rolesByShape(skeletonOf(document)).size).toBeGreaterThan(45);
  });
  it('knows twists, ends, tongues and helpers by their names, and takes corrections above all', () => {
    const document = stickFigure({
      extra: {
        arm_twist_l: { under: 'leftUpperArm', at: [0.3, 1.3, 0] },
        tongue_1: { under: 'jaw', at: [0, 1.58, 0.05] },
        index_end_l: { under: 'leftIndexDistal', at: [0.72, 0.9, 0.03] },
        hip_helper: { under: 'hips', at: [0, 0.9, -0.1] },
      },
    });
    const roleOf = () => {
      const roles = jointRoles(document);
      return (name: string) => roles[skeletonOf(document).joints.findIndex((joint) => joint.getName() === name)].role;
    };
    expect(['arm_twist_l', 'tongue_1', 'index_end_l', 'hip_helper'].map(roleOf())).toEqual([
      'twist',
      'tongue',
      'end',
      'helper',
    ]);
    updateDossier(document, { jointRoles: { hip_helper: 'extra' } });
    expect(roleOf()('hip_helper')).toBe('extra');
  });
  it('says which required joints are missing', () => {
    expect(missingRoles([{ role: 'hips' }, { role: 'spine' }])).toContain('head');
  });
});

describe('planSkeleton and remapSkeleton', () => {
  it('keep every joint in the scene when the root above the hips goes', () => {
    for (const merge of [['root'], ['root', 'pelvis_base']]) {
      const document = stickFigure(),
        [scene] = document.getRoot().listScenes(),
        [skin] = document.getRoot().listSkins();
      const hips = skeletonOf(document).joints[0],
        root = document.createNode('root').setTranslation([0, 0.1, 0]),
        base = document.createNode('pelvis_base').setTranslation([0, 0.2, 0]);
      scene.removeChild(hips).addChild(root.addChild(base.addChild(hips.setTranslation([0, 0.66, 0]))));
      skin.setInverseBindMatrices(null);
      for (const joint of [root, base]) skin.addJoint(joint);
      const before = skeletonOf(document).joints.map((joint) => [joint.getName(), [...globalMatrix(joint)]] as const);
      remapSkeleton(
        document,
        planSkeleton(document, { keep: 'all', names: {} }, Object.fromEntries(merge.map((name) => [name, '']))),
      );
      const inScene = new Set<unknown>();
      for (const child of scene.listChildren()) child.traverse((node) => inScene.add(node));
      const { joints } = skeletonOf(document);
      expect(joints).toHaveLength(57 - merge.length);
      expect(joints.filter((joint) => !inScene.has(joint)).map((joint) => joint.getName())).toEqual([]);
      const stood = new Map(before);
      for (const joint of joints)
        globalMatrix(joint).forEach((x, k) => expect(x).toBeCloseTo((stood.get(joint.getName()) as number[])[k], 6));
    }
  });
  it('merge what the target has no joint for: sums kept, rest unmoved, clips and names followed', () => {
    const document = stickFigure({ extra: { arm_twist_l: { under: 'leftUpperArm', at: [0.3, 1.3, 0] } } });
    const before = rest(document);
    const plans = planSkeleton(document, { keep: 'body', names: { hips: 'Root', head: 'Head' } });
    remapSkeleton(document, plans);
    const names = skeletonOf(document).joints.map((joint) => joint.getName());
    expect(names).toContain('Root');
    expect(names.some((name) => /Index|Eye|twist|jaw|Toes/.test(name))).toBe(false);
    const after = rest(document);
    before.forEach((value, i) => expect(Math.abs(value - after[i])).toBeLessThan(1e-6));
    const influences = influencesOf(document.getRoot().listMeshes()[0].listPrimitives()[0]);
    for (let v = 0; influences && v < influences.weights.length; v += influences.perVertex) {
      const slots = [...influences.weights.slice(v, v + influences.perVertex)];
      expect(slots.reduce((sum, w) => sum + w, 0)).toBeCloseTo(1, 6);
      const used = [...influences.joints.slice(v, v + influences.perVertex)].filter((_, k) => slots[k] > 0);
      expect(new Set(used).size).toBe(used.length);
    }
  });
  /** Summed weight of each joint by name, vertex by vertex, over the first mesh. */
  const weightBy = (document: ReturnType<typeof stickFigure>) => {
    const [skin] = document.getRoot().listSkins(),
      names = skin.listJoints().map((joint) => joint.getName()),
      influences = influencesOf(document.getRoot().listMeshes()[0].listPrimitives()[0]) as NonNullable<
        ReturnType<typeof influencesOf>
      >;
    return Array.from({ length: influences.joints.length / influences.perVertex }, (_, v) => {
      const row = new Map<string, number>();
      for (let k = v * influences.perVertex; k < (v + 1) * influences.perVertex; k++)
        if (influences.weights[k])
          row.set(names[influences.joints[k]], (row.get(names[influences.joints[k]]) ?? 0) + influences.weights[k]);
      return row;
    });
  };
  it('give the weight of a merged joint to the nearest above it that stays, and to no other', () => {
    const document = stickFigure(),
      before = weightBy(document),
      skeleton = skeletonOf(document),
      plans = planSkeleton(document, { keep: 'body', names: {} });
    const keeper = new Map(
      skeleton.joints.map((joint, j) => {
        let at = j;
        while (plans[at].target === null) at = skeleton.parent[at];
        return [joint.getName(), plans[at].target as string];
      }),
    );
    remapSkeleton(document, plans);
    let merged = 0;
    weightBy(document).forEach((row, v) => {
      const wanted = new Map<string, number>();
      for (const [name, weight] of before[v]) {
        const to = keeper.get(name) as string;
        if (to !== name) merged++;
        wanted.set(to, (wanted.get(to) ?? 0) + weight);
      }
      expect([...row.keys()].sort()).toEqual([...wanted.keys()].sort());
      for (const [name, weight] of wanted) expect(row.get(name)).toBeCloseTo(weight, 5);
    });
    expect(merged).toBeGreaterThan(100);
  });
  it('bring the joint above into a skin that lacks it, and the rest stays', () => {
    const document = stickFigure(),
      [whole] = document.getRoot().listSkins(),
      finger = whole.listJoints().find((joint) => joint.getName() === 'leftIndexDistal') as ReturnType<
        typeof document.createNode
      >;
    // A ring, bound to a finger tip alone in a skin of its own.
    const accessor = (type: 'VEC3' | 'VEC4' | 'MAT4', array: Float32Array | Uint16Array) =>
      document
        .createAccessor()
        .setType(type)
        .setArray(array as never);
    const inverse = new Float64Array(16);
    invertAffine(inverse, 0, Float64Array.from(globalMatrix(finger)), 0);
    const skin = document
        .createSkin('ring')
        .addJoint(finger)
        .setSkeleton(finger)
        .setInverseBindMatrices(accessor('MAT4', Float32Array.from(inverse))),
      prim = document
        .createPrimitive()
        .setAttribute('POSITION', accessor('VEC3', Float32Array.of(0.69, 0.92, 0, 0.7, 0.92, 0, 0.69, 0.93, 0.03)))
        .setAttribute('JOINTS_0', accessor('VEC4', new Uint16Array(12)))
        .setAttribute('WEIGHTS_0', accessor('VEC4', Float32Array.of(1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0)));
    document
      .getRoot()
      .listScenes()[0]
      .addChild(document.createNode('Ring').setMesh(document.createMesh().addPrimitive(prim)).setSkin(skin));
    const before = rest(document);
    remapSkeleton(document, planSkeleton(document, { keep: 'body', names: {} }));
    const after = rest(document);
    expect(after.length).toBe(before.length);
    before.forEach((value, i) => expect(Math.abs(value - after[i])).toBeLessThan(1e-5));
    expect(skin.listJoints().map((joint) => joint.getName())).toEqual(['leftHand']);
    expect(skin.getInverseBindMatrices()?.getCount()).toBe(1);
    // The joint that the skin named as its root went: it names none.
    expect(skin.getSkeleton()).toBeNull();
    // It goes where the hand goes now.
    const d = createDeformer(document, (part) => part.node.getName() === 'Ring'),
      roles = roleIndex(jointRoles(document, d.skeleton)),
      flexed = RANGE_OF_MOTION.find((pose) => pose.name === 'wrists flexed') as (typeof RANGE_OF_MOTION)[number],
      moved = d.evaluate(new Float32Array(9), {}, poseSkeleton(d.skeleton, roles, flexed));
    expect(Math.abs(moved[1] - 0.92)).toBeGreaterThan(0.02);
  });
  it('leave everything as it is where the target asks for nothing', () => {
    const document = stickFigure();
    const before = skeletonOf(document).joints.map((joint) => joint.getName());
    remapSkeleton(document, planSkeleton(document, everything));
    expect(skeletonOf(document).joints.map((joint) => joint.getName())).toEqual(before);
  });
  it('pose alike through roles where no joint was lost', () => {
    const source = stickFigure(),
      result = stickFigure();
    remapSkeleton(
      result,
      planSkeleton(result, {
        keep: 'humanoid',
        names: Object.fromEntries(HUMANOID_ROLES.map((role) => [role, `t_${role}`])),
      }),
    );
    const a = createDeformer(source),
      b = createDeformer(result);
    const roles = roleIndex(jointRoles(result));
    expect(roles.size).toBe(55);
    for (const pose of RANGE_OF_MOTION) {
      const one = a.evaluate(
        new Float32Array(a.vertices * 3),
        {},
        poseSkeleton(a.skeleton, roleIndex(jointRoles(source)), pose),
      );
      const two = b.evaluate(new Float32Array(b.vertices * 3), {}, poseSkeleton(b.skeleton, roles, pose));
      let squares = 0;
      one.forEach((value, i) => {
        squares += (value - two[i]) ** 2;
      });
      expect(Math.sqrt(squares / a.vertices) * 1000).toBeLessThan(0.1);
    }
  });
  it('give up joints in the stated order until the limit is met', () => {
    const document = stickFigure({
      extra: {
        arm_twist_l: { under: 'leftUpperArm', at: [0.3, 1.3, 0] },
        index_end_l: { under: 'leftIndexDistal', at: [0.72, 0.9, 0.03] },
      },
    });
    const gone = (maxJoints: number) => {
      const plans = planSkeleton(document, { keep: 'all', names: {}, maxJoints });
      const s = skeletonOf(document);
      return plans.filter((plan) => plan.target === null).map((plan) => s.joints[plan.joint].getName());
    };
    expect(gone(56)).toEqual(['index_end_l']);
    expect(gone(55).sort()).toEqual(['arm_twist_l', 'index_end_l']);
    expect(gone(47).every((name) => /twist|end|Toes|Distal/.test(name))).toBe(true);
  });
  it('say why a joint goes over the limit, and only of those that do', () => {
    const plans = planSkeleton(stickFigure(), { keep: 'all', names: {}, maxJoints: 47 });
    for (const plan of plans)
      expect(/^over the limit of 47 joints; .+ go first$/.test(plan.why ?? '')).toBe(plan.target === null);
    expect(plans.filter((plan) => plan.target === null).length).toBeGreaterThan(3);
  });
  it('keep who took a joint in and who was renamed, each under the name it had', () => {
    const document = stickFigure(),
      skeleton = skeletonOf(document),
      plans = planSkeleton(
        document,
        { keep: 'humanoid', names: { head: 'Head', hips: 'Hips' } },
        { jaw: '' },
        skeleton,
      );
    remapSkeleton(document, plans, skeleton);
    const { mergedJoints, renamedJoints } = readDossier(document);
    expect(renamedJoints).toEqual({ head: 'Head', hips: 'Hips' });
    expect(mergedJoints).toEqual({ jaw: 'Head' });
  });
  it('follow ties by hand: another joint takes the role, or a joint is let go', () => {
    const document = stickFigure();
    const byName = (ties: Record<string, string>) => {
      const s = skeletonOf(document);
      return new Map(
        planSkeleton(document, { keep: 'humanoid', names: { head: 'Head' } }, ties).map((plan) => [
          s.joints[plan.joint].getName(),
          plan,
        ]),
      );
    };
    expect(byName({ jaw: 'Head' }).get('jaw')?.target).toBe('Head');
    expect(byName({ jaw: 'Head' }).get('head')?.target).toBeNull();
    expect(byName({ jaw: '' }).get('jaw')?.target).toBeNull();
  });
  it('keep a skeleton in which nothing is recognised, under names that differ', async () => {
    const document = stickFigure();
    for (const node of document.getRoot().listNodes())
      if (!node.getMesh()) {
        node.setName('');
        node.setTranslation([0, 0, 0]);
      }
    const skeleton = skeletonOf(document),
      plans = planSkeleton(
        document,
        { keep: 'body', names: {} } as never,
        {},
        skeleton,
        skeleton.joints.map(() => ({ role: 'unknown' as const, confidence: 0, reason: '' })),
      );
    expect(plans.map((plan) => plan.target).slice(0, 3)).toEqual(['joint', 'joint_2', 'joint_3']);
    expect(new Set(plans.map((plan) => plan.target)).size).toBe(skeleton.joints.length);
    expect(() => remapSkeleton(document, plans, skeleton)).not.toThrow();
  });
  it('hang a joint where its role asks for, without moving it', () => {
    const document = stickFigure();
    const nodes = new Map(
      document
        .getRoot()
        .listNodes()
        .map((node) => [node.getName(), node]),
    );
    // the left thigh under the spine: put back under the hips
    const thigh = nodes.get('leftUpperLeg'),
      spine = nodes.get('spine');
    if (!thigh || !spine) throw new Error('the figure has changed');
    const [x, y, z] = thigh.getTranslation(),
      [sx, sy, sz] = spine.getTranslation();
    spine.addChild(thigh.setTranslation([x - sx, y - sy, z - sz]));
    const before = rest(document);
    remapSkeleton(document, planSkeleton(document, everything));
    expect(thigh.getParentNode()?.getName()).toBe('hips');
    rest(document).forEach((value, i) => expect(Math.abs(value - before[i])).toBeLessThan(1e-6));
  });
});

it('poseSkeleton leaves rest alone where nothing turns, and turns about the joint', () => {
  const skeleton = skeletonOf(stickFigure());
  expect([...poseSkeleton(skeleton, new Map(), { name: 'none', turns: [] })]).toEqual([...skeleton.global]);
  const roles = roleIndex(jointRoles(stickFigure()));
  const posed = poseSkeleton(skeleton, roles, { name: 'x', turns: [{ role: 'leftLowerArm', axis: 'y', degrees: 90 }] });
  const elbow = (roles.get('leftLowerArm') as number) * 16,
    wrist = (roles.get('leftHand') as number) * 16;
  for (let k = 12; k < 15; k++) expect(posed[elbow + k]).toBeCloseTo(skeleton.global[elbow + k], 12);
  const length = (m: Float64Array) =>
    Math.hypot(m[wrist + 12] - m[elbow + 12], m[wrist + 13] - m[elbow + 13], m[wrist + 14] - m[elbow + 14]);
  expect(length(posed)).toBeCloseTo(length(skeleton.global), 12);
});
