import { Document, type Node } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { type HumanoidRole, skeletonOf } from '../character/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { jointRoles } from './roles.ts';

/** A bare skeleton: name → parent and place, metres; the right side mirrors every joint with `_l` in its name. */
function bones(
  rows: readonly (readonly [name: string, parent: string | null, at: readonly [number, number, number]])[],
): Document {
  const document = new Document(),
    scene = document.createScene(),
    skin = document.createSkin(),
    nodes = new Map<string, Node>(),
    places = new Map<string, readonly number[]>();
  for (const [name, parent, at] of rows)
    for (const side of /_l(_|$)/.test(name) ? ['l', 'r'] : ['']) {
      const other = (title: string) => (side === 'r' ? title.replace(/_l(?=_|$)/, '_r') : title),
        place = side === 'r' ? [-at[0], at[1], at[2]] : at,
        above = parent === null ? null : other(parent),
        origin = above === null ? [0, 0, 0] : (places.get(above) as number[]);
      const node = document
        .createNode(other(name))
        .setTranslation([place[0] - origin[0], place[1] - origin[1], place[2] - origin[2]]);
      if (above === null) scene.addChild(node);
      else nodes.get(above)?.addChild(node);
      nodes.set(other(name), node);
      places.set(other(name), place);
      skin.addJoint(node);
    }
  return document;
}
const rolesOf = (document: Document) => {
  const found = jointRoles(document);
  return Object.fromEntries(skeletonOf(document).joints.map((joint, i) => [joint.getName(), found[i].role]));
};
const holders = (document: Document, ...roles: HumanoidRole[]) => {
  const named = rolesOf(document);
  return roles.map((role) => Object.keys(named).find((name) => named[name] === role));
};

const ARM = (chest: string) =>
  [
    ['clavicle_l', chest, [0.03, 1.45, 0]],
    ['upperarm_l', 'clavicle_l', [0.18, 1.43, 0]],
    ['forearm_l', 'upperarm_l', [0.45, 1.43, -0.01]],
    ['hand_l', 'forearm_l', [0.7, 1.43, 0]],
  ] as const;
const LEG = (hips: string) =>
  [
    ['thigh_l', hips, [0.09, 0.92, 0]],
    ['shin_l', 'thigh_l', [0.1, 0.5, 0.01]],
    ['foot_l', 'shin_l', [0.1, 0.09, -0.02]],
    ['toe_l', 'foot_l', [0.11, 0.02, 0.1]],
  ] as const;
/** Trunk joints from the hips' own up to below the neck, at even heights. */
const person = (root: string, trunk: readonly string[], leg = LEG(root)) =>
  bones([
    [root, null, [0, 0.96, 0]],
    ...trunk.map(
      (name, i) =>
        [name, i ? trunk[i - 1] : root, [0, 1.02 + (0.4 * i) / Math.max(1, trunk.length - 1), -0.01]] as const,
    ),
    ['neck', trunk[trunk.length - 1], [0, 1.5, -0.01]],
    ['head', 'neck', [0, 1.6, 0]],
    ['head_end', 'head', [0, 1.75, 0]],
    ...ARM(trunk[trunk.length - 1]),
    ...leg,
  ]);

describe('the trunk', () => {
  it.each<[string, string, string[], [string, string, string]]>([
    [
      'four joints, anatomical words',
      'sacrum',
      ['lumbar_lower', 'lumbar_upper', 'thoracic_lower', 'thoracic_upper'],
      ['lumbar_lower', 'thoracic_lower', 'thoracic_upper'],
    ],
    [
      'five joints, anatomical words',
      'sacrum',
      ['lumbar_a', 'lumbar_b', 'thorax_a', 'thorax_b', 'thorax_c'],
      ['lumbar_a', 'thorax_b', 'thorax_c'],
    ],
    [
      "a pelvis with the sacrum as the spine's first joint",
      'pelvis',
      ['sacrum', 'lumbar', 'thorax', 'ribcage'],
      ['sacrum', 'thorax', 'ribcage'],
    ],
    ['four joints of H-Anim', 'humanoid_root', ['vl5', 'vl1', 'vt10', 'vt6'], ['vl5', 'vt10', 'vt6']],
    ['five joints of H-Anim', 'humanoid_root', ['vl5', 'vl3', 'vl1', 'vt10', 'vt6'], ['vl5', 'vt10', 'vt6']],
    [
      'numbered spines',
      'hips',
      ['spine_01', 'spine_02', 'spine_03', 'spine_04', 'spine_05'],
      ['spine_01', 'spine_04', 'spine_05'],
    ],
  ])('gets hips, spine, chest and upper chest: %s', (_, root, trunk, wanted) => {
    expect(holders(person(root, trunk), 'hips', 'spine', 'chest', 'upperChest', 'neck')).toEqual([
      root,
      ...wanted,
      'neck',
    ]);
  });
  it('keeps what names say where the order allows it', () => {
    expect(holders(person('hips', ['spine', 'chest', 'upper_chest']), 'spine', 'chest', 'upperChest')).toEqual([
      'spine',
      'chest',
      'upper_chest',
    ]);
    expect(holders(person('hips', ['spine', 'chest']), 'spine', 'chest', 'upperChest')).toEqual([
      'spine',
      'chest',
      undefined,
    ]);
  });
});

describe('the upper leg', () => {
  const between = (name: string, at: readonly [number, number, number], thigh: string) =>
    person('hips', ['spine', 'chest'], [
      [`${name}_l`, 'hips', at],
      [`${thigh}_l`, `${name}_l`, [0.09, 0.92, 0]],
      ['shin_l', `${thigh}_l`, [0.1, 0.5, 0.01]],
      ['foot_l', 'shin_l', [0.1, 0.09, -0.02]],
      ['toe_l', 'foot_l', [0.11, 0.02, 0.1]],
    ] as never);
  it.each([
    ['hip_joint', 'up_leg'],
    ['hip', 'leg_upper'],
    ['hip_joint', 'thigh'],
    ['qx1', 'qx2'],
  ])('is the joint above the lower leg, not the hip joint: %s, %s', (hip, thigh) => {
    for (const at of [
      [0, 0.96, 0],
      [0.05, 0.94, 0],
    ] as const)
      expect(holders(between(hip, at, thigh), 'leftUpperLeg', 'rightUpperLeg', 'leftLowerLeg')).toEqual([
        `${thigh}_l`,
        `${thigh}_r`,
        'shin_l',
      ]);
  });
  it('stays above twists half way down', () => {
    const twisted = person('hips', ['spine', 'chest'], [
      ['thigh_l', 'hips', [0.09, 0.92, 0]],
      ['thigh_twist_l', 'thigh_l', [0.095, 0.71, 0]],
      ['shin_l', 'thigh_twist_l', [0.1, 0.5, 0.01]],
      ['foot_l', 'shin_l', [0.1, 0.09, -0.02]],
      ['toe_l', 'foot_l', [0.11, 0.02, 0.1]],
    ] as never);
    expect(holders(twisted, 'leftUpperLeg')).toEqual(['thigh_l']);
  });
});

describe('the hips', () => {
  it('are never a root that carries no weight, whatever it is called', () => {
    for (const title of ['hips', 'pelvis', 'hip_root']) {
      const document = stickFigure({ name: (role) => (role === 'hips' ? 'pelvis_main' : role) }),
        [scene] = document.getRoot().listScenes(),
        root = document.createNode(title);
      const hips = skeletonOf(document).joints[0];
      scene.removeChild(hips).addChild(root.addChild(hips));
      document.getRoot().listSkins()[0].addJoint(root);
      expect(holders(document, 'hips')).toEqual(['pelvis_main']);
      expect(['helper', 'extra']).toContain(rolesOf(document)[title]);
    }
  });
});
