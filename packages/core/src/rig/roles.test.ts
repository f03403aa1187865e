import { Document, type Node } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { skeletonOf } from '../character/index.ts';
import { seededRandom } from '../geometry/index.ts';
import { jointRoles } from './roles.ts';

interface Rig {
  spine: number;
  fingers: number;
  perFinger: number;
  twists: number;
  face: boolean;
  toes: boolean;
  tail: boolean;
  roots: number;
  named: boolean;
}
type Place = [number, number, number];
const FINGERS = ['Thumb', 'Index', 'Middle', 'Ring', 'Little'],
  mix = (a: Place, b: Place, t: number): Place => [
    a[0] + (b[0] - a[0]) * t,
    a[1] + (b[1] - a[1]) * t,
    a[2] + (b[2] - a[2]) * t,
  ];

/** A skeleton of a standing adult, arms down 45 degrees, built as asked; and the role of each joint that has only one it can have. */
function build(rig: Rig, seed = 1): { document: Document; truth: Map<string, string> } {
  const document = new Document(),
    scene = document.createScene(),
    skin = document.createSkin('rig'),
    truth = new Map<string, string>(),
    random = seededRandom(seed),
    at = new Map<Node | null, Place>([[null, [0, 0, 0]]]);
  const add = (name: string, parent: Node | null, place: Place, role?: string): Node => {
    const title = rig.named ? name : `j${Math.floor(random() * 1e9)}`,
      above = at.get(parent) as Place,
      node = document.createNode(title).setTranslation([place[0] - above[0], place[1] - above[1], place[2] - above[2]]);
    if (parent) parent.addChild(node);
    else scene.addChild(node);
    at.set(node, place);
    skin.addJoint(node);
    if (role) truth.set(title, role);
    return node;
  };
  let root: Node | null = null;
  for (let i = 0; i < rig.roots; i++) root = add(['Root', 'Motion', 'Offset'][i], root, [0, 0, 0]);
  const hips = add('Hips', root, [0, 0.96, 0], 'hips');
  let spine = hips;
  for (let i = 0; i < rig.spine; i++)
    spine = add(
      `Spine${i + 1}`,
      spine,
      mix([0, 1.03, -0.01], [0, 1.38, -0.03], rig.spine === 1 ? 0 : i / (rig.spine - 1)),
    );
  const neck = add('Neck', spine, [0, 1.48, -0.02], 'neck'),
    head = add('Head', neck, [0, 1.57, 0], 'head');
  if (rig.face) {
    add('Jaw', head, [0, 1.6, 0.03], 'jaw');
    for (const s of [1, -1])
      add(`${s > 0 ? 'Left' : 'Right'}Eye`, head, [0.032 * s, 1.66, 0.08], s > 0 ? 'leftEye' : 'rightEye');
  }
  if (rig.tail) {
    let tail = hips;
    for (let i = 0; i < 4; i++) tail = add(`Tail${i + 1}`, tail, [0, 0.9 - 0.08 * i, -0.12 - 0.09 * i]);
  }
  for (const s of [1, -1]) {
    const side = s > 0 ? 'Left' : 'Right',
      role = (name: string) => `${side.toLowerCase()}${name}`,
      p = (x: number, y: number, z: number): Place => [x * s, y, z];
    const clavicle = add(`${side}Shoulder`, spine, p(0.03, 1.45, 0), role('Shoulder')),
      arm = add(`${side}UpperArm`, clavicle, p(0.18, 1.43, -0.01), role('UpperArm')),
      fore = add(`${side}LowerArm`, arm, p(0.39, 1.22, -0.02), role('LowerArm'));
    for (let i = 0; i < rig.twists; i++) {
      add(
        `${side}UpperArmTwist${i + 1}`,
        arm,
        mix(at.get(arm) as Place, at.get(fore) as Place, (i + 1) / (rig.twists + 1)),
        rig.named ? 'twist' : undefined,
      );
    }
    const hand = add(`${side}Hand`, fore, p(0.57, 1.04, 0), role('Hand'));
    for (let f = 0; f < rig.fingers; f++) {
      const finger = FINGERS[f],
        from: Place = f === 0 ? p(0.6, 1.01, 0.045) : p(0.64, 0.97, 0.04 - 0.022 * (f - 1)),
        to: Place =
          f === 0
            ? p(0.64, 0.96, 0.09)
            : p(0.715 - 0.006 * Math.abs(f - 2), 0.895 + 0.006 * Math.abs(f - 2), 0.042 - 0.024 * (f - 1));
      let joint = hand;
      const roles =
        f === 0
          ? ['ThumbMetacarpal', 'ThumbProximal', 'ThumbDistal']
          : [`${finger}Proximal`, `${finger}Intermediate`, `${finger}Distal`];
      for (let i = 0; i < rig.perFinger; i++)
        joint = add(
          `${side}${finger}${i + 1}`,
          joint,
          mix(from, to, i / Math.max(1, rig.perFinger)),
          rig.perFinger === 3 ? role(roles[i]) : undefined,
        );
    }
    const thigh = add(`${side}UpperLeg`, hips, p(0.09, 0.92, 0), role('UpperLeg')),
      shin = add(`${side}LowerLeg`, thigh, p(0.1, 0.5, 0.01), role('LowerLeg')),
      foot = add(`${side}Foot`, shin, p(0.11, 0.09, -0.03), role('Foot'));
    if (rig.toes) add(`${side}Toes`, foot, p(0.12, 0.03, 0.1), role('Toes'));
  }
  return { document, truth };
}
const plain: Rig = {
  spine: 3,
  fingers: 5,
  perFinger: 3,
  twists: 0,
  face: true,
  toes: true,
  tail: false,
  roots: 1,
  named: true,
};
/** Share of the joints with a certain role that got it, and those that didn't. */
function share(rig: Rig, seed?: number): { right: number; wrong: string[] } {
  const { document, truth } = build(rig, seed),
    skeleton = skeletonOf(document),
    roles = jointRoles(document, skeleton),
    found = new Map(skeleton.joints.map((joint, i) => [joint.getName(), roles[i].role as string]));
  const wrong = [...truth]
    .filter(([name, role]) => found.get(name) !== role)
    .map(([name, role]) => `${name}: ${found.get(name)}, not ${role}`);
  return { right: 1 - wrong.length / truth.size, wrong };
}

describe('roles of a skeleton whose joints are named', () => {
  it.each([2, 3, 4, 5, 7, 12, 25])('are all right with a spine of %i', (spine) => {
    expect(share({ ...plain, spine }).wrong).toEqual([]);
  });
  it.each([0, 1, 2, 3, 4, 5])('are all right with %i fingers', (fingers) => {
    expect(share({ ...plain, fingers }).wrong).toEqual([]);
  });
  it.each([1, 2, 4])('are all right with fingers of %i joints', (perFinger) => {
    expect(share({ ...plain, perFinger }).wrong).toEqual([]);
  });
  it('are all right with twists, a tail and several roots, and without face and toes', () => {
    expect(share({ ...plain, twists: 3, tail: true, roots: 3 }).wrong).toEqual([]);
    expect(share({ ...plain, face: false, toes: false, roots: 0 }).wrong).toEqual([]);
  });
});

describe('roles of a skeleton whose names mean nothing', () => {
  it.each([2, 3, 5, 8, 16, 25])('are right by shape with a spine of %i', (spine) => {
    const { right, wrong } = share({ ...plain, spine, named: false });
    expect(right, wrong.join('; ')).toBeGreaterThanOrEqual(0.95);
  });
  it.each([0, 3, 4, 5])('are right by shape with %i fingers', (fingers) => {
    const { right, wrong } = share({ ...plain, fingers, named: false });
    expect(right, wrong.join('; ')).toBeGreaterThanOrEqual(0.95);
  });
  it.each([1, 2, 4])('are right by shape with fingers of %i joints', (perFinger) => {
    const { right, wrong } = share({ ...plain, perFinger, named: false });
    expect(right, wrong.join('; ')).toBeGreaterThanOrEqual(0.95);
  });
  it('are right by shape with twists, a tail, several roots, and without face and toes', () => {
    for (const more of [
      { twists: 2 },
      { tail: true },
      { roots: 3 },
      { face: false },
      { toes: false },
      { face: false, toes: false, fingers: 0, roots: 0 },
      { twists: 3, tail: true, roots: 2, spine: 6 },
    ]) {
      const { right, wrong } = share({ ...plain, ...more, named: false }, 5);
      expect(right, `${JSON.stringify(more)}: ${wrong.join('; ')}`).toBeGreaterThanOrEqual(0.95);
    }
  });
});
