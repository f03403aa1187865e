import { retarget, sampleMotions } from '@dimetra/core';
import {
  AnimationMixer,
  type Bone,
  BufferGeometry,
  Float32BufferAttribute,
  Group,
  MeshBasicMaterial,
  type Object3D,
  Skeleton,
  SkinnedMesh,
  Uint16BufferAttribute,
  Vector3,
} from 'three';
import { describe, expect, it } from 'vitest';
import { Actor } from './actor.ts';
import { placeOf } from './crowd.ts';
import { aheadOf, factsOf } from './facts.ts';
import { measured, paceOf, shippedMotions, unboundIn } from './motions.ts';
import { POSTS, QUAY } from './plan.ts';
import { type Puppet, puppetOf } from './skeleton.ts';
import { extentOf, solesOf } from './soles.ts';
import { buildStandIn } from './stand-in.ts';

/** The stand-in with soles of its own: a skinned strip under each ankle, four centimetres below it. */
function figure(turned = false): { root: Group; puppet: Puppet; feet: Set<Object3D> } {
  const body = buildStandIn(0xffffff),
    root = new Group();
  root.add(body);
  // As a loader leaves a file in centimetres that lies on its back.
  if (turned) {
    body.rotation.x = Math.PI / 2;
    body.scale.setScalar(100);
    root.rotation.x = -Math.PI / 2;
    root.scale.setScalar(0.01);
  }
  root.updateMatrixWorld(true);
  const bones: Bone[] = [];
  body.traverse((object) => {
    if ((object as Bone).isBone) bones.push(object as Bone);
  });
  const ankles = bones.flatMap((bone, i) => (/ankle$/.test(bone.name) ? [i] : [])),
    points = ankles.flatMap((i) => {
      const at = new Vector3().setFromMatrixPosition(bones[i].matrixWorld);
      return [-0.03, 0.03].flatMap((x) => [at.x + x, at.y - 0.04, at.z]);
    });
  const mesh = new SkinnedMesh(
    new BufferGeometry()
      .setAttribute('position', new Float32BufferAttribute(points, 3))
      .setAttribute(
        'skinIndex',
        new Uint16BufferAttribute(
          ankles.flatMap((i) => [i, 0, 0, 0, i, 0, 0, 0]),
          4,
        ),
      )
      .setAttribute(
        'skinWeight',
        new Float32BufferAttribute(
          ankles.flatMap(() => [1, 0, 0, 0, 1, 0, 0, 0]),
          4,
        ),
      ),
    new MeshBasicMaterial({ name: 'Sole' }),
  );
  root.add(mesh);
  mesh.matrixAutoUpdate = false;
  mesh.bind(new Skeleton(bones), mesh.matrixWorld.identity());
  mesh.matrix.copy(root.matrixWorld).invert();
  const puppet = puppetOf(root) as Puppet;
  return { root, puppet, feet: new Set(ankles.map((i) => bones[i])) };
}

describe('motions that ship, on what another loader opened', () => {
  it.each([false, true])(
    'are played as they were brought onto its joints (turned and scaled by its loader: %s)',
    (turned) => {
      const { root, puppet } = figure(turned),
        walk = shippedMotions(puppet).find(({ name }) => name === 'Walk'),
        wanted = retarget(sampleMotions(), puppet.skeleton, puppet.roles).clips.find(({ name }) => name === 'Walk');
      if (!walk || !wanted) throw new Error('there is no walk');
      expect(unboundIn(walk, root)).toEqual([]);
      const mixer = new AnimationMixer(root),
        at = new Vector3();
      mixer.clipAction(walk).play();
      for (const key of [0, 7, 20]) {
        const time = walk.tracks[0].times[key];
        mixer.setTime(time);
        root.updateMatrixWorld(true);
        const posed = wanted.at(time);
        puppet.bones.forEach((bone, j) => {
          at.setFromMatrixPosition(bone.matrixWorld);
          for (const [k, x] of at.toArray().entries()) expect(x).toBeCloseTo(posed[j * 16 + 12 + k], 4);
        });
      }
    },
  );
  it('lead away as far as they stride, and an actor takes that back: it stays where it is put, on its soles', () => {
    const { root, puppet, feet } = figure(),
      soles = solesOf(root, feet),
      hips = puppet.bones[puppet.roles.get('hips') as number],
      motions = shippedMotions(puppet).map((clip) => measured(clip, false, root, hips, soles)),
      of = (name: string) => motions.find(({ clip }) => clip.name === name);
    const walk = of('Walk');
    if (!walk) throw new Error('there is no walk');
    expect(walk.drift.z).toBeGreaterThan(1);
    expect(Math.abs(walk.drift.x)).toBeLessThan(0.02);
    expect(of('Climb a ladder')?.drift.y).toBeGreaterThan(0.4);
    expect(paceOf(walk, 0.9, 9)).toBeCloseTo(walk.drift.z / walk.clip.duration, 5);
    expect(paceOf(of('Idle'), 0.9, 1.3)).toBeCloseTo(1.3, 9);
    const actor = new Actor(root),
      at = new Vector3();
    let lowest = Infinity;
    actor.place.position.set(3, 0, -2);
    actor.play(walk);
    for (let t = 0; t < 3 * walk.clip.duration; t += 1 / 30) {
      actor.update(1 / 30);
      actor.place.updateMatrixWorld(true);
      at.setFromMatrixPosition(hips.matrixWorld);
      expect(Math.hypot(at.x - 3, at.z + 2)).toBeLessThan(0.12);
      lowest = Math.min(lowest, soles?.lowest() as number);
    }
    expect(Math.abs(lowest)).toBeLessThan(0.006);
  });
});

it('morphs are dialled by name on every part that has them, and go back', () => {
  const { root } = figure(),
    meshes = ['smile', 'blink'].map((name) => {
      const mesh = new SkinnedMesh(new BufferGeometry(), new MeshBasicMaterial());
      mesh.morphTargetDictionary = { [name]: 0, both: 1 };
      mesh.morphTargetInfluences = [0, 0];
      root.add(mesh);
      return mesh;
    }),
    actor = new Actor(root);
  actor.dial({ smile: 0.5, both: 0.25 });
  expect(meshes.map((mesh) => mesh.morphTargetInfluences)).toEqual([
    [0.5, 0.25],
    [0, 0.25],
  ]);
  actor.dial({});
  expect(meshes.map((mesh) => mesh.morphTargetInfluences)).toEqual([
    [0, 0],
    [0, 0],
  ]);
});

describe('what is told of a figure', () => {
  it('is where its front is, how tall it stands, and what it costs', () => {
    const { root, puppet } = figure(),
      loaded = {
        scene: root,
        clips: [],
        missing: [],
        levels: [],
        by: 'a test',
        shows: { morphs: true, clips: 'named' as const },
      },
      facts = factsOf({ loaded, extent: extentOf(root), ahead: aheadOf(puppet), puppet, motions: [] });
    expect(facts.ahead).toBeGreaterThan(0.99);
    expect(facts.sizeM[1]).toBeGreaterThan(1.5);
    expect(facts.roles).toContain('leftFoot');
    expect(facts.materials.map(({ name }) => name)).toContain('Sole');
    expect(facts.cost.triangles).toBeGreaterThan(1000);
    root.rotation.y = Math.PI;
    root.updateMatrixWorld(true);
    expect(aheadOf(puppet)).toBeLessThan(-0.99);
  });
  it('finds no joints where there are none', () => {
    expect(puppetOf(new Group())).toBeNull();
  });
});

it('a crowd stands on the quay, nobody in another or in a thing', () => {
  const places = Array.from({ length: 400 }, (_, i) => placeOf(i));
  expect(new Set(places.map(({ x, z }) => `${x.toFixed(2)} ${z.toFixed(2)}`)).size).toBe(400);
  for (const { x, z } of places) {
    expect(x).toBeGreaterThan(QUAY.west);
    expect(x).toBeLessThan(QUAY.east);
    expect(z).toBeGreaterThan(QUAY.north);
    expect(z).toBeLessThan(QUAY.south);
    for (const post of POSTS) expect(Math.hypot(post.x - x, post.z - z)).toBeGreaterThan(post.radius);
  }
});
