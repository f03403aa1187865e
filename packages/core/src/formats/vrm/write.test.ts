import type { Document, GLTF } from '@gltf-transform/core';
import { look } from '@dimetra/eyes';
import { describe, expect, it } from 'vitest';
import { floatsOf, listParts, readDossier, skeletonOf, updateDossier } from '../../character/index.ts';
import { jointRoles } from '../../rig/index.ts';
import { stickFigure } from '../../testing/stick-figure.ts';
import { parseGlb } from '../gltf/glb.ts';
import { readCharacter } from '../read.ts';
import { PRESETS } from './expressions.ts';
import { VRM_REQUIRED } from './humanoid.ts';
import type { VrmGiven } from './given.ts';
import { writeVrm } from './write.ts';

const rolesOf = (document: Document): Record<string, string> => {
  const skeleton = skeletonOf(document),
    roles = jointRoles(document, skeleton);
  return Object.fromEntries(skeleton.joints.map((joint, i) => [joint.getName(), roles[i].role]));
};
type Json = Record<string, never>;
async function written(document: Document, more: Partial<VrmGiven> = {}) {
  const { file, findings } = await writeVrm(document, 'pilot', {
      title: 'Harbour pilot',
      roles: rolesOf(document),
      asked: [],
      meta: { authors: ['Ines Vell'] },
      ...more,
    }),
    { json } = parseGlb(file as never),
    extensions = json.extensions as Record<string, Json>;
  return {
    file,
    // The figure's arms hang: that is looked at apart.
    findings: findings.filter(({ code }) => code !== 'vrm.arms-not-out'),
    hangs: findings.find(({ code }) => code === 'vrm.arms-not-out'),
    json: json as GLTF.IGLTF,
    vrm: extensions.VRMC_vrm as unknown as {
      specVersion: string;
      meta: Record<string, unknown>;
      humanoid: { humanBones: Record<string, { node: number }> };
      lookAt: { type: string; offsetFromHeadBone: number[]; rangeMapVerticalUp: object };
      firstPerson: { meshAnnotations: { node: number; type: string }[] };
      expressions: Record<'preset' | 'custom', Record<string, { morphTargetBinds: object[]; isBinary?: boolean }>>;
    },
    springs: extensions.VRMC_springBone as unknown as {
      springs: { joints: { node: number; stiffness?: number }[]; colliderGroups?: number[] }[];
      colliderGroups: { colliders: number[] }[];
      colliders: { node: number }[];
    },
  };
}
/** Gives a figure morphs of these names: the first lifts as the figure's own does, each next one half as much more. */
function callMorphs(document: Document, names: readonly string[]): void {
  for (const { mesh, prim } of listParts(document)) {
    const [own] = prim.listTargets(),
      lift = own?.getAttribute('POSITION');
    if (!own || !lift) continue;
    prim.removeTarget(own);
    names.forEach((name, i) => {
      const values = floatsOf(lift).map((x) => x * (1 + i / 2));
      prim.addTarget(
        document
          .createPrimitiveTarget(name)
          .setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(values)),
      );
    });
    mesh.setExtras({ ...mesh.getExtras(), targetNames: [...names] }).setWeights([]);
  }
}

describe('writing VRM 1.0', () => {
  it('gives every bone its joint, which the open loader finds again, and the eyes their place', async () => {
    const document = stickFigure();
    callMorphs(document, ['blink', 'smirk']);
    const { file, findings, vrm, json } = await written(document, { asked: ['smirk'] }),
      roles = rolesOf(document);
    expect(findings).toEqual([]);
    expect(file.path).toBe('pilot.vrm');
    expect(vrm.specVersion).toBe('1.0');
    expect(json.extensionsUsed).toContain('VRMC_vrm');
    for (const role of VRM_REQUIRED)
      expect(roles[json.nodes?.[vrm.humanoid.humanBones[role].node].name ?? '']).toBe(role);
    // Head at 1.56 m, eyes at 1.66 m and 8 cm before it.
    expect(vrm.lookAt.type).toBe('bone');
    vrm.lookAt.offsetFromHeadBone.forEach((x, k) => expect(x).toBeCloseTo([0, 0.1, 0.08][k], 5));
    expect(Object.keys(vrm.expressions.preset)).toEqual(['blink']);
    expect(Object.keys(vrm.expressions.custom)).toEqual(['smirk']);
    const seen = await look(file, [file]);
    expect(seen.refused).toBeUndefined();
    expect(seen.validator.errors).toEqual([]);
    expect([...(seen.vrm?.bones ?? [])].sort()).toEqual(
      Object.values(roles)
        .filter((role) => role in vrm.humanoid.humanBones)
        .sort(),
    );
    expect(seen.vrm?.authors).toEqual(['Ines Vell']);
    expect(seen.vrm?.looksBy).toBe('bone');
    // What moves under the loader's hands is what the morph moves.
    for (const name of ['blink', 'smirk']) {
      const morph = seen.morphs.find((row) => row.name === name),
        expression = seen.vrm?.expressions.find((row) => row.name === name);
      expect(morph?.farthestMm).toBeGreaterThan(1);
      expect(expression?.farthestMm).toBeCloseTo(morph?.farthestMm ?? 0, 3);
    }
  });
  it('says what is missing, leaves a joint that hangs elsewhere without a role, and the loader refuses it as we say', async () => {
    const document = stickFigure(),
      roles = rolesOf(document),
      hand = skeletonOf(document).joints.find((joint) => roles[joint.getName()] === 'leftHand');
    // Another joint is said to be the hand's finger, and the other foot is nobody's.
    roles[
      skeletonOf(document)
        .joints.find((joint) => roles[joint.getName()] === 'rightFoot')
        ?.getName() ?? ''
    ] = 'leftIndexProximal';
    for (const [name, role] of Object.entries(roles))
      if (role === 'leftIndexProximal' && name !== 'rightFoot') roles[name] = 'unknown';
    expect(hand).toBeDefined();
    const { file, findings, vrm } = await written(document, { roles });
    expect(findings.map(({ code }) => code)).toEqual(['vrm.bones-missing', 'vrm.bones-astray', 'vrm.no-expressions']);
    expect(findings[0].message).toMatch(/rightFoot/);
    expect(vrm.humanoid.humanBones.leftIndexProximal).toBeUndefined();
    expect((await look(file, [file])).refused).toMatch(/rightFoot/);
  });
  it('has upperChest only over a chest', async () => {
    const document = stickFigure(),
      roles = rolesOf(document);
    for (const [name, role] of Object.entries(roles)) if (role === 'chest') roles[name] = 'extra';
    const { vrm, findings } = await written(document, { roles });
    expect(vrm.humanoid.humanBones.upperChest).toBeUndefined();
    expect(findings.map(({ code }) => code)).toContain('vrm.bones-astray');
  });
  it('comes back as it went: expressions by their morphs, springs, licence, first person', async () => {
    const document = stickFigure();
    callMorphs(document, ['blink', 'grin']);
    const names = Object.fromEntries(Object.entries(rolesOf(document)).map(([name, role]) => [role, name])),
      mesh = document
        .getRoot()
        .listNodes()
        .find((node) => node.getMesh())
        ?.getName() as string,
      first = await written(document, {
        meta: {},
        kept: {
          version: '1.0',
          meta: {
            authors: ['Ines Vell', 'Tor Askild'],
            creditNotation: 'unnecessary',
            allowRedistribution: true,
            modification: 'whatever',
          },
          faces: [
            {
              name: 'happy',
              preset: true,
              morphs: [{ name: 'grin', weight: 0.5 }],
              isBinary: true,
              overrideMouth: 'block',
            },
            { name: 'gone', preset: false, morphs: [{ name: 'not there', weight: 1 }] },
          ],
          springs: {
            specVersion: '1.0',
            colliders: [
              { node: 'nobody', shape: {} },
              { node: names.head, shape: { sphere: { offset: [0, 0.1, 0], radius: 0.09 } } },
            ],
            colliderGroups: [
              { name: 'lost', colliders: [0] },
              { name: 'head', colliders: [0, 1] },
            ],
            springs: [
              { name: 'lost', joints: [{ node: 'nobody' }, { node: names.head }] },
              {
                name: 'arm',
                colliderGroups: [0, 1],
                joints: [
                  { node: names.leftUpperArm, stiffness: 0.7 },
                  { node: 'nobody' },
                  { node: 'old elbow' },
                  { node: names.head },
                ],
              },
            ],
          },
          firstPerson: { meshAnnotations: [{ node: mesh, type: 'thirdPersonOnly' }] },
        },
        renamed: { 'old elbow': names.leftLowerArm },
      });
    expect(first.findings.map(({ code }) => code)).toEqual(['vrm.springs-left']);
    expect(first.vrm.meta).toMatchObject({
      name: 'Harbour pilot',
      authors: ['Ines Vell', 'Tor Askild'],
      creditNotation: 'unnecessary',
      allowRedistribution: true,
    });
    expect(first.vrm.meta.modification).toBeUndefined();
    expect(first.springs.springs).toHaveLength(1);
    expect(first.springs.springs[0].colliderGroups).toEqual([0]);
    expect(first.springs.colliderGroups).toEqual([{ name: 'head', colliders: [0] }]);
    expect(first.springs.springs[0].joints.map(({ node }) => first.json.nodes?.[node].name)).toEqual([
      names.leftUpperArm,
      names.leftLowerArm,
    ]);
    expect(first.springs.springs[0].joints[0].stiffness).toBe(0.7);
    expect((await look(first.file, [first.file])).vrm).toMatchObject({
      springs: 1,
      authors: ['Ines Vell', 'Tor Askild'],
    });
    const { document: back } = await readCharacter([first.file as never]),
      { vrm: kept } = readDossier(back);
    expect(kept?.faces).toEqual([
      { name: 'blink', preset: true, morphs: [{ name: 'blink', weight: 1 }] },
      { name: 'happy', preset: true, morphs: [{ name: 'grin', weight: 0.5 }], isBinary: true, overrideMouth: 'block' },
    ]);
    const second = await written(back, { meta: {}, kept });
    expect(second.vrm).toEqual(first.vrm);
    expect(second.springs).toEqual(first.springs);
  });
  it('takes expressions and licence of 0.x over, and says that its springs are not', async () => {
    const document = stickFigure();
    callMorphs(document, ['a', 'b']);
    const { json, binary } = parseGlb((await written(document)).file as never);
    json.extensions = {
      VRM: {
        meta: { author: 'Ines Vell', allowedUserName: 'Everyone', violentUssageName: 'Disallow' },
        blendShapeMaster: {
          blendShapeGroups: [
            { name: 'Joy', presetName: 'joy', binds: [{ mesh: 0, index: 1, weight: 40 }] },
            {
              name: 'Wink!',
              presetName: 'unknown',
              binds: [
                { mesh: 0, index: 0, weight: 100 },
                { mesh: 99, index: 0, weight: 100 },
              ],
            },
            { name: 'empty', presetName: 'fun', binds: [] },
          ],
        },
        secondaryAnimation: { boneGroups: [{ bones: [0] }] },
        humanoid: { humanBones: [] },
      },
    } as never;
    json.extensionsUsed = ['VRM'];
    const text = new TextEncoder().encode(
        JSON.stringify({ ...json, buffers: [{ byteLength: binary?.length, uri: 'a.bin' }] }),
      ),
      { document: read } = await readCharacter([
        { path: 'a.gltf', bytes: text },
        { path: 'a.bin', bytes: binary as never },
      ]),
      { vrm: kept } = readDossier(read);
    expect(kept?.faces).toEqual([
      { name: 'happy', preset: true, morphs: [{ name: 'b', weight: 0.4 }] },
      { name: 'Wink!', preset: false, morphs: [{ name: 'a', weight: 1 }] },
    ]);
    const { vrm, findings } = await written(read, { meta: {}, kept, roles: rolesOf(document) });
    expect(vrm.meta).toMatchObject({
      authors: ['Ines Vell'],
      avatarPermission: 'everyone',
      allowExcessivelyViolentUsage: false,
    });
    expect(findings.map(({ code }) => code)).toEqual(['vrm.springs-left']);
    expect(Object.keys(vrm.expressions.custom)).toEqual(['Wink!']);
  });
  it('looks by expressions where there are no eyes, and asks who made the figure', async () => {
    const document = stickFigure(),
      roles = rolesOf(document);
    callMorphs(document, ['lookUp', 'x']);
    for (const [name, role] of Object.entries(roles)) if (/Eye/.test(role)) roles[name] = 'extra';
    updateDossier(document, { vrm: undefined });
    const { vrm, findings, file } = await written(document, { roles, meta: {}, copyright: 'Saltmarsh works' });
    expect(vrm.lookAt.type).toBe('expression');
    expect(vrm.meta.authors).toEqual(['Saltmarsh works']);
    expect(findings.map(({ code }) => code)).toEqual(['vrm.no-author']);
    expect((await look(file, [file])).vrm?.looksBy).toBe('expression');
  });
  it('keeps the name of a mesh that is called as a joint or an empty node is', async () => {
    const document = stickFigure(),
      [scene] = document.getRoot().listScenes(),
      mesh = document
        .getRoot()
        .listNodes()
        .find((node) => node.getMesh());
    mesh?.setName('head');
    const empty = document.createNode('head_2').addChild(document.createNode('deeper'));
    scene.addChild(empty);
    const { file, vrm, json } = await written(document, {
        kept: { version: '1.0', firstPerson: { meshAnnotations: [{ node: 'head', type: 'firstPersonOnly' }] } },
      }),
      { document: back } = await readCharacter([file as never]);
    expect(listParts(back).map(({ name }) => name)).toEqual(listParts(document).map(({ name }) => name));
    expect(vrm.firstPerson.meshAnnotations.map(({ type }) => type)).toEqual(['firstPersonOnly']);
    expect(json.nodes?.[vrm.humanoid.humanBones.head.node].mesh).toBeUndefined();
  });
  it('asks for arms straight out, and for nothing where they are', async () => {
    const document = stickFigure(),
      { hangs } = await written(document);
    expect(hangs).toMatchObject({ measured: 45, repair: 'rest.convert' });
    // Half a turn of a right angle up, about the way that the figure looks.
    const turn = Math.PI / 8;
    for (const [role, way] of [
      ['leftUpperArm', 1],
      ['rightUpperArm', -1],
    ] as const)
      document
        .getRoot()
        .listNodes()
        .find((node) => node.getName() === role)
        ?.setRotation([0, 0, way * Math.sin(turn), Math.cos(turn)]);
    expect((await written(document)).hangs).toBeUndefined();
  });
  it('knows the presets of the standard', () => {
    expect(PRESETS).toHaveLength(18);
  });
});
