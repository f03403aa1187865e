import { describe, expect, it } from 'vitest';
import { type HumanoidRole, jointPosition, REQUIRED_ROLES, skeletonOf } from '../character/index.ts';
import { readCharacter, writeBvh, writeGlb } from '../formats/index.ts';
import { quatMultiply, quatRotate, sub, unit, type Vec3 } from '../geometry/index.ts';
import { jointRoles, playableClips, roleIndex } from '../rig/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { reach, retarget, SAMPLE_MOTIONS, sampleFrames, sampleMotions } from './index.ts';

const motions = sampleMotions(),
  from = skeletonOf(motions),
  own = roleIndex(jointRoles(motions, from));
const figure = stickFigure(),
  onto = skeletonOf(figure),
  roles = roleIndex(jointRoles(figure, onto)),
  made = retarget(motions, onto, roles);
const place = (m: Float64Array, j: number): Vec3 => [m[j * 16 + 12], m[j * 16 + 13], m[j * 16 + 14]];
const clip = (name: string) => made.clips.find((entry) => entry.name === name) as (typeof made.clips)[number];
const bone = (m: Float64Array, index: ReadonlyMap<HumanoidRole, number>, a: HumanoidRole, b: HumanoidRole) =>
  unit(sub(place(m, index.get(b) as number), place(m, index.get(a) as number)));

describe('reach', () => {
  it('brings the end of a limb to its goal, the knee to the front', () => {
    const a: Vec3 = [0, 1, 0],
      b: Vec3 = [0, 0.5, 0],
      c: Vec3 = [0, 0, 0];
    for (const goal of [
      [0, 0.3, 0.2],
      [0.1, 0.2, -0.3],
      [0, 0.05, 0],
    ] as Vec3[]) {
      const { upper, lower } = reach(a, b, c, goal, [0, 0, 1]),
        knee = quatRotate(upper, sub(b, a)),
        end = quatRotate(quatMultiply(upper, lower), sub(c, b));
      [0, 1, 2].forEach((k) => expect(a[k] + knee[k] + end[k]).toBeCloseTo(goal[k], 5));
      expect(knee[2] * (goal[1] - a[1]) - knee[1] * (goal[2] - a[2])).toBeLessThan(0);
    }
  });
  it('stretches towards what is out of reach', () => {
    const { upper, lower } = reach([0, 1, 0], [0, 0.5, 0], [0, 0, 0], [3, 1, 0], [0, 0, 1]),
      end = quatRotate(quatMultiply(upper, lower), [0, -0.5, 0]),
      knee = quatRotate(upper, [0, -0.5, 0]);
    expect(knee[0] + end[0]).toBeCloseTo(1, 4);
  });
});

describe('the sample motions', () => {
  it('are the same every time, finite, and keep every bone as long as it is', () => {
    expect(playableClips(sampleMotions()).map((entry) => [...entry.at(0.7)])).toEqual(
      playableClips(motions).map((entry) => [...entry.at(0.7)]),
    );
    for (const entry of playableClips(motions))
      for (let t = 0; t <= entry.seconds; t += 0.25) {
        const posed = entry.at(Math.round(t * 24) / 24);
        expect(posed.every(Number.isFinite)).toBe(true);
        from.joints.forEach((_, j) => {
          if (from.parent[j] < 0) return;
          const now = Math.hypot(...sub(place(posed, j), place(posed, from.parent[j]))),
            rest = Math.hypot(...sub(jointPosition(from, j), jointPosition(from, from.parent[j])));
          expect(Math.abs(now - rest)).toBeLessThan(1e-4);
        });
      }
  });
  it("put one foot on the ground while walking, and don't let it slide", () => {
    const walk = playableClips(motions).find((entry) => entry.name === 'Walk') as ReturnType<
        typeof playableClips
      >[number],
      foot = own.get('leftToes') as number,
      low = jointPosition(from, foot)[1];
    let slid = 0,
      grounded = 0;
    for (let f = 1; f < walk.seconds * 24; f++) {
      const a = [...place(walk.at((f - 1) / 24), foot)] as Vec3,
        b = [...place(walk.at(f / 24), foot)] as Vec3;
      if (a[1] - low < 0.004 && b[1] - low < 0.004) {
        grounded++;
        slid = Math.max(slid, Math.abs(b[2] - a[2]) * 24);
      }
    }
    expect(grounded).toBeGreaterThan(20);
    // Metres a second.
    expect(slid).toBeLessThan(0.06);
  });
  it('go out as BVH and come back', async () => {
    for (const name of ['Walk', 'Climb a ladder']) {
      const { document, frames, frameSeconds } = sampleFrames(name),
        read = await readCharacter([
          { path: 'a.bvh', bytes: writeBvh(document, { scale: 100, frames, frameSeconds }) },
        ]),
        back = skeletonOf(read.document),
        [played] = playableClips(read.document);
      const posed = played.at(0.5),
        j = back.joints.findIndex((joint) => joint.getName() === 'mo_port_ankle'),
        i = skeletonOf(document).joints.findIndex((joint) => joint.getName() === 'mo_port_ankle');
      place(posed, j).forEach((x, k) => expect(x / 100).toBeCloseTo(frames[12][i * 16 + 12 + k], 3));
    }
    expect(SAMPLE_MOTIONS.length).toBe(7);
  });
  it('move a figure from a file as they do from memory: motion without a mesh is read, joints are recognised', async () => {
    const { document, frames, frameSeconds } = sampleFrames('Wave in'),
      bytes = writeBvh(document, { frames, frameSeconds });
    for (const file of [
      { path: 'wave.bvh', bytes },
      { path: 'motions.glb', bytes: await writeGlb(sampleMotions()) },
    ]) {
      const read = await readCharacter([file]),
        index = roleIndex(jointRoles(read.document));
      for (const role of [...REQUIRED_ROLES, 'neck', 'leftShoulder', 'rightShoulder'] as const)
        expect(index.has(role), `${file.path} ${role}`).toBe(true);
      const { clips } = retarget(read.document, onto, roles),
        played = clips.find((entry) => entry.name === 'Wave in') ?? clips[0],
        wanted = clip('Wave in').at(1.5),
        got = played.at(1.5);
      for (const role of ['rightHand', 'leftHand', 'head'] as const)
        place(got, roles.get(role) as number).forEach((x, k) =>
          expect(Math.abs(x - place(wanted, roles.get(role) as number)[k]), `${file.path} ${role}`).toBeLessThan(0.02),
        );
    }
  });
});

describe('retarget', () => {
  it('gives every limb the direction it has in the motion, though rests, names and sizes differ', () => {
    expect(made.shared).toBeGreaterThan(20);
    for (const name of SAMPLE_MOTIONS)
      for (const time of [0.3, 0.9, 1.4]) {
        const a = playableClips(motions)
            .find((entry) => entry.name === name)
            ?.at(time) as Float64Array,
          b = clip(name).at(time);
        for (const [p, q] of [
          ['leftUpperArm', 'leftLowerArm'],
          ['rightLowerArm', 'rightHand'],
          ['leftLowerLeg', 'leftFoot'],
          ['rightUpperLeg', 'rightLowerLeg'],
        ] as [HumanoidRole, HumanoidRole][]) {
          const u = bone(a, own, p, q),
            v = bone(b, roles, p, q);
          // Legs keep a little of their own build.
          expect(
            (Math.acos(Math.min(1, u[0] * v[0] + u[1] * v[1] + u[2] * v[2])) * 180) / Math.PI,
            `${name} ${p}`,
          ).toBeLessThan(p.includes('Leg') ? 7 : 1);
        }
      }
  });
  it('keeps the bones of the target as long as they are, and scales the way by the legs', () => {
    const posed = clip('Run').at(0.4);
    onto.joints.forEach((_, j) => {
      if (onto.parent[j] < 0) return;
      expect(Math.hypot(...sub(place(posed, j), place(posed, onto.parent[j])))).toBeCloseTo(
        Math.hypot(...sub(jointPosition(onto, j), jointPosition(onto, onto.parent[j]))),
        5,
      );
    });
    expect(made.scale).toBeGreaterThan(0.9);
    expect(made.scale).toBeLessThan(1.1);
  });
  it('stays on the spot when asked: it begins where the figure stands, ends there along the ground, and goes up and down as it did', () => {
    const hips = roles.get('hips') as number,
      stood = jointPosition(onto, hips);
    for (const entry of retarget(motions, onto, roles, { inPlace: true }).clips) {
      for (const time of [0, entry.seconds]) {
        const at = place(entry.at(time), hips);
        for (const k of [0, 2]) expect(at[k]).toBeCloseTo(stood[k], 4);
      }
      const travelling = clip(entry.name);
      for (let t = 0; t < entry.seconds; t += 0.2)
        expect(place(entry.at(t), hips)[1]).toBeCloseTo(place(travelling.at(t), hips)[1], 6);
    }
    expect(
      place(clip('Climb a ladder').at(3.2), hips)[1] - place(clip('Climb a ladder').at(0), hips)[1],
    ).toBeGreaterThan(0.4);
  });
  it('stands on the floor though a captured root has no offset of its own, and wherever it was captured', () => {
    const feet = (['leftFoot', 'rightFoot', 'leftToes', 'rightToes'] as const).map((role) => roles.get(role) as number),
      floor = Math.min(...feet.map((foot) => jointPosition(onto, foot)[1]));
    for (const root of [
      [0, 0, 0],
      [0, 3, 0],
    ] as Vec3[]) {
      const captured = sampleMotions();
      captured
        .getRoot()
        .listNodes()
        .find((node) => node.getName() === 'mo_pelvis')
        ?.setTranslation(root);
      for (const entry of retarget(captured, onto, roles).clips) {
        let low = Infinity;
        for (let t = 0; t <= entry.seconds; t += 1 / 24) {
          const posed = entry.at(t);
          for (const foot of feet) low = Math.min(low, place(posed, foot)[1]);
        }
        expect(Math.abs(low - floor), entry.name).toBeLessThan(0.01);
      }
    }
  });
  it('leaves a skeleton without roles where it is', () => {
    const posed = retarget(motions, onto, new Map()).clips[0].at(0.5);
    expect(posed.every(Number.isFinite)).toBe(true);
    onto.joints.forEach((_, j) =>
      place(posed, j).forEach((x, k) => expect(x).toBeCloseTo(jointPosition(onto, j)[k], 5)),
    );
  });
});
