import { describe, expect, it } from 'vitest';
import { skeletonOf } from '../character/index.ts';
import { inspectFindings, summarise } from '../inspect/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { idleJoints, jointGroups, weightCarried } from './groups.ts';
import { planSkeleton } from './plan.ts';
import { jointRoles } from '../rig/roles.ts';

/** A figure with one joint of each idle sort. */
function cluttered() {
  const document = stickFigure({
    extra: {
      helper_origin: { under: 'hips', at: [0, 0, 0] },
      spine_twin: { under: 'spine', at: [0, 1.06, -0.01] },
      leftHand_end: { under: 'leftHand', at: [0.66, 0.95, 0.02] },
      prop_socket: { under: 'rightHand', at: [-0.6, 1, 0.1] },
      prop_socket_tip: { under: 'rightHand', at: [-0.62, 1, 0.2] },
    },
  });
  const skin = document.getRoot().listSkins()[0],
    nodes = document.getRoot().listNodes();
  const find = (name: string) => nodes.find((node) => node.getName() === name) as (typeof nodes)[number];
  find('prop_socket').addChild(find('prop_socket_tip'));
  find('prop_socket_tip').setTranslation([-0.02, 0, 0.1]);
  const stray = document.createNode('stray_root').setTranslation([1, 0, 0]);
  document.getRoot().listScenes()[0].addChild(stray);
  skin.addJoint(stray);
  const binds = skin.getInverseBindMatrices() as NonNullable<ReturnType<typeof skin.getInverseBindMatrices>>;
  binds.setArray(
    Float32Array.from([...(binds.getArray() as Float32Array), 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, -1, 0, 0, 1]),
  );
  return document;
}

describe('joints that move nothing', () => {
  it('are told by sort, and no joint that moves something or has a role is among them', () => {
    const document = cluttered(),
      skeleton = skeletonOf(document),
      found = idleJoints(document, skeleton, jointRoles(document, skeleton));
    expect(Object.fromEntries(found.map(({ joint, kind }) => [skeleton.joints[joint].getName(), kind]))).toEqual({
      helper_origin: 'origin',
      spine_twin: 'twin',
      stray_root: 'root',
      leftHand_end: 'end',
      prop_socket: 'idle',
      prop_socket_tip: 'end',
    });
    expect(
      idleJoints(stickFigure(), skeletonOf(stickFigure()), jointRoles(stickFigure(), skeletonOf(stickFigure()))),
    ).toEqual([]);
  });
  it('hold no weight, and the others hold all of it', () => {
    const document = cluttered(),
      skeleton = skeletonOf(document),
      sum = weightCarried(document, skeleton);
    for (const { joint } of idleJoints(document, skeleton, jointRoles(document, skeleton))) expect(sum[joint]).toBe(0);
    expect(sum.reduce((a, b) => a + b, 0)).toBeCloseTo(
      document.getRoot().listMeshes()[0].listPrimitives()[0].getAttribute('POSITION')?.getCount() ?? 0,
      1,
    );
  });
  it('are named by inspection, ends aside', () => {
    const document = cluttered(),
      finding = inspectFindings(document, summarise(document, 'x')).find(
        (entry) => entry.code === 'skeleton.useless-joints',
      );
    expect(finding).toMatchObject({ measured: 3, repair: 'skeleton.remap' });
    expect(finding?.message).toMatch(/helper_origin.*stray_root.*spine_twin|helper_origin|stray_root/);
    const clean = stickFigure();
    expect(
      inspectFindings(clean, summarise(clean, 'x')).some((entry) => entry.code === 'skeleton.useless-joints'),
    ).toBe(false);
  });
});

describe('what could go', () => {
  it('lists every joint at most once, idle ones first, in the order of a limit', () => {
    const document = cluttered(),
      skeleton = skeletonOf(document),
      groups = jointGroups(document, skeleton, jointRoles(document, skeleton));
    const all = groups.flatMap((group) => group.joints);
    expect(new Set(all).size).toBe(all.length);
    expect(groups.map((group) => group.id)).toEqual([
      'idle-origin',
      'idle-root',
      'idle-twin',
      'idle-end',
      'idle-idle',
      'toes',
      'finger-tips',
      'fingers',
    ]);
    expect(groups.findIndex((group) => !group.idle)).toBe(5);
  });
  it('goes as the list says: a limit takes finger tips before other fingers', () => {
    const document = stickFigure(),
      skeleton = skeletonOf(document),
      roles = jointRoles(document, skeleton),
      groups = jointGroups(document, skeleton, roles);
    const of = (id: string) => groups.find((group) => group.id === id)?.joints ?? [];
    const plans = planSkeleton(document, {
      keep: 'all',
      names: {},
      maxJoints: skeleton.joints.length - of('toes').length - 4,
    });
    expect(of('toes').every((joint) => plans[joint].target === null)).toBe(true);
    expect(of('finger-tips').filter((joint) => plans[joint].target === null)).toHaveLength(4);
    expect(of('fingers').every((joint) => plans[joint].target !== null)).toBe(true);
  });
});

it('counts the weights of a surface that is shown twice once', () => {
  const document = stickFigure(),
    skeleton = skeletonOf(document),
    once = weightCarried(document, skeleton),
    [body] = document
      .getRoot()
      .listNodes()
      .filter((node) => node.getMesh());
  document
    .getRoot()
    .listScenes()[0]
    .addChild(document.createNode('Again').setMesh(body.getMesh()).setSkin(body.getSkin()));
  expect(weightCarried(document, skeleton)).toEqual(once);
  expect(once.reduce((sum, weight) => sum + weight, 0)).toBeGreaterThan(100);
});
