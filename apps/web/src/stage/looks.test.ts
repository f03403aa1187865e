import * as THREE from 'three';
import { describe, expect, it } from 'vitest';
import { stickFigure } from '../../../../packages/core/src/testing/stick-figure.ts';
import { jointRoles, poseSkeleton, RANGE_OF_MOTION, roleIndex, skeletonOf } from '@dimetra/core';
import type { StageFigure } from '../figure/build.ts';
import { channelMaterial, heat, isChannel, lookMaterial, segmentColor } from './looks.ts';
import { shotOf, type Shot } from './shots.ts';

describe('colours of looks', () => {
  it('of the heat map grow lighter with the value and stay at their ends beyond it', () => {
    const light = (value: number) => {
      const color = new THREE.Color();
      heat(color, value);
      return color.r + color.g + color.b;
    };
    for (let i = 1; i <= 20; i++) expect(light(i / 20)).toBeGreaterThan(light((i - 1) / 20));
    expect([light(-3), light(7)]).toEqual([light(0), light(1)].map((x) => expect.closeTo(x, 3)));
  });
  it('of segments differ between joints that stand next to each other in the list', () => {
    const far = (a: THREE.Color, b: THREE.Color) => Math.hypot(a.r - b.r, a.g - b.g, a.b - b.b);
    for (let joint = 0; joint < 300; joint++)
      for (let next = 1; next <= 3; next++)
        expect(far(segmentColor(joint), segmentColor(joint + next))).toBeGreaterThan(0.08);
    expect(segmentColor(5).equals(segmentColor(5))).toBe(true);
  });
  it('knows which looks show a map alone, and shows a plain value where there is no map', () => {
    expect(['roughness', 'base colour', 'clay', 'segments'].map(isChannel)).toEqual([true, true, false, false]);
    const own = new THREE.MeshPhysicalMaterial({ roughness: 0.3 });
    expect((channelMaterial('roughness', own) as THREE.MeshBasicMaterial).color.r).toBeCloseTo(0.3, 5);
    expect(lookMaterial('normals')).toBeInstanceOf(THREE.MeshNormalMaterial);
  });
});

describe('shots', () => {
  const document = stickFigure(),
    skeleton = skeletonOf(document),
    bounds = new THREE.Box3(new THREE.Vector3(-0.7, 0, -0.2), new THREE.Vector3(0.7, 1.75, 0.2));
  const roles = roleIndex(jointRoles(document, skeleton)),
    bonesAt = (global: Float64Array) =>
      skeleton.joints.map((_, i) => {
        const bone = new THREE.Bone();
        bone.matrixWorld.fromArray(global, i * 16);
        return bone;
      });
  const figure = { bounds, skeleton, roles, bones: bonesAt(skeleton.global) } as unknown as StageFigure;
  it.each([
    ['figure', 0.7, 0.85],
    ['head', 1.55, 1.7],
    ['eyes', 1.6, 1.7],
    ['feet', 0, 0.3],
    ['hands', 0.85, 1.1],
  ] as [Shot, number, number][])('of the %s look at its height from outside the body', (shot, low, high) => {
    const { target, direction, distance, height } = shotOf(figure, shot);
    expect(target.y).toBeGreaterThan(low);
    expect(target.y).toBeLessThan(high);
    expect(direction.length()).toBeCloseTo(1, 6);
    expect(distance).toBeGreaterThan(0.15 * height);
  });
  it('from behind and from the side stand where they say', () => {
    expect(shotOf(figure, 'behind').direction.z).toBeLessThan(-0.9);
    expect(shotOf(figure, 'side').direction.x).toBeGreaterThan(0.9);
    expect(shotOf(figure, 'head from the side').direction.x).toBeGreaterThan(0.9);
  });
  it('of a figure torn apart by a broken bind go by its joints', () => {
    const torn = {
        ...figure,
        bounds: new THREE.Box3(new THREE.Vector3(-0.7, -3, -0.2), new THREE.Vector3(2, 1.75, 6)),
      } as unknown as StageFigure,
      whole = shotOf(figure, 'figure'),
      shot = shotOf(torn, 'figure');
    expect(Math.abs(shot.height - whole.height)).toBeLessThan(0.1);
    expect(shot.target.distanceTo(whole.target)).toBeLessThan(0.15);
    expect(shotOf(torn, 'head').target.distanceTo(shotOf(figure, 'head').target)).toBeLessThan(0.05);
  });
  it('look at hands, feet, eyes and mouth where a pose has taken them, and at the whole as before', () => {
    const squatting = poseSkeleton(
        skeleton,
        roles,
        RANGE_OF_MOTION.find((pose) => pose.name === 'squat') as (typeof RANGE_OF_MOTION)[number],
      ),
      posed = { ...figure, bones: bonesAt(squatting) } as unknown as StageFigure;
    const at = (role: 'leftFoot' | 'rightFoot' | 'leftEye' | 'rightEye') =>
      new THREE.Vector3().fromArray(squatting, (roles.get(role) as number) * 16 + 12);
    expect(
      shotOf(posed, 'feet').target.distanceTo(at('leftFoot').add(at('rightFoot')).multiplyScalar(0.5)),
    ).toBeLessThan(1e-6);
    expect(shotOf(posed, 'feet').target.distanceTo(shotOf(figure, 'feet').target)).toBeGreaterThan(0.05);
    expect(shotOf(posed, 'eyes').target.distanceTo(at('leftEye').add(at('rightEye')).multiplyScalar(0.5))).toBeLessThan(
      1e-6,
    );
    // The mouth stays as far from the eyes, and turns with the head.
    const gap = (one: StageFigure) => shotOf(one, 'mouth').target.distanceTo(shotOf(one, 'eyes').target);
    expect(gap(posed)).toBeCloseTo(gap(figure), 6);
    expect(shotOf(posed, 'figure')).toEqual(shotOf(figure, 'figure'));
  });
  it('of a figure without roles still find the head by its height', () => {
    expect(shotOf({ ...figure, roles: new Map() } as unknown as StageFigure, 'head').target.y).toBeGreaterThan(1.4);
  });
});
