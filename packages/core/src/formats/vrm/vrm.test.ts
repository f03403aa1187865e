import { describe, expect, it } from 'vitest';
import { readDossier, skeletonOf } from '../../character/index.ts';
import { jointRoles } from '../../rig/index.ts';
import { stickFigure } from '../../testing/stick-figure.ts';
import { writeGlb } from '../gltf/write.ts';
import { parseGlb } from '../gltf/glb.ts';
import { readCharacter } from '../read.ts';

/** A stick figure whose joint names mean nothing, with VRM's own map put into the file. */
async function vrm(make: (node: (role: string) => number) => object): Promise<Uint8Array> {
  const names = new Map<string, string>();
  const figure = stickFigure({
    name: (role) => {
      const name = `q${names.size}x`;
      names.set(role, name);
      return name;
    },
  });
  const { json, binary } = parseGlb({ path: 'a.glb', bytes: await writeGlb(figure) });
  const nodes = json.nodes ?? [];
  json.extensions = make((role) => nodes.findIndex((node) => node.name === names.get(role))) as never;
  return glb(json, binary as Uint8Array);
}

function glb(json: object, binary: Uint8Array): Uint8Array {
  const text = new TextEncoder().encode(JSON.stringify(json)),
    padded = Math.ceil(text.length / 4) * 4;
  const out = new Uint8Array(28 + padded + binary.length),
    view = new DataView(out.buffer);
  out.fill(32, 20, 20 + padded);
  out.set([0x67, 0x6c, 0x54, 0x46]);
  view.setUint32(4, 2, true);
  view.setUint32(8, out.length, true);
  view.setUint32(12, padded, true);
  out.set(new TextEncoder().encode('JSON'), 16);
  out.set(text, 20);
  view.setUint32(20 + padded, binary.length, true);
  out.set([0x42, 0x49, 0x4e, 0], 24 + padded);
  out.set(binary, 28 + padded);
  return out;
}

describe('VRM', () => {
  it('1.0: the humanoid map gives the roles, springs and expressions keep their nodes by name, the licence travels', async () => {
    const bytes = await vrm((node) => ({
      VRMC_vrm: {
        specVersion: '1.0',
        meta: { name: 'A', authors: ['Ines Vell'], licenseUrl: 'https://vrm.dev/licenses/1.0/' },
        humanoid: {
          humanBones: {
            hips: { node: node('hips') },
            leftHand: { node: node('leftHand') },
            leftThumbMetacarpal: { node: node('leftThumbMetacarpal') },
          },
        },
        expressions: { preset: { happy: { morphTargetBinds: [{ node: node('head'), index: 0, weight: 1 }] } } },
      },
      VRMC_springBone: { springs: [{ joints: [{ node: node('head') }] }] },
    }));
    const { document, findings } = await readCharacter([{ path: 'a.vrm', bytes }]);
    const dossier = readDossier(document);
    const skeleton = skeletonOf(document),
      roles = jointRoles(document, skeleton);
    const told = roles.flatMap((found, i) =>
      found.reason === 'the file says so' ? [[found.role, skeleton.joints[i].getName()]] : [],
    );
    expect(told.map(([role]) => role).sort()).toEqual(['hips', 'leftHand', 'leftThumbMetacarpal']);
    expect(dossier.vrm?.version).toBe('1.0');
    const head = (dossier.vrm as { springs: { springs: { joints: { node: string }[] }[] } }).springs.springs[0]
      .joints[0].node;
    expect(skeleton.joints.map((joint) => joint.getName())).toContain(head);
    expect(document.getRoot().getAsset().copyright).toMatch(/Ines Vell.*vrm\.dev/);
    expect(findings.map((finding) => finding.code)).toContain('vrm.kept');
  });
  it('0.x: thumbs are renamed to what 1.0 calls them', async () => {
    const bytes = await vrm((node) => ({
      VRM: {
        meta: { author: 'Ines Vell' },
        humanoid: {
          humanBones: [
            { bone: 'leftThumbProximal', node: node('leftThumbMetacarpal') },
            { bone: 'leftThumbIntermediate', node: node('leftThumbProximal') },
            { bone: 'leftThumbDistal', node: node('leftThumbDistal') },
          ],
        },
      },
    }));
    const { document } = await readCharacter([{ path: 'a.vrm', bytes }]);
    expect(Object.values(readDossier(document).declaredRoles ?? {}).sort()).toEqual([
      'leftThumbDistal',
      'leftThumbMetacarpal',
      'leftThumbProximal',
    ]);
  });
  it('survives nonsense in its extension', async () => {
    for (const nonsense of [
      { VRMC_vrm: 7 },
      { VRMC_vrm: { humanoid: [] } },
      { VRMC_vrm: { humanoid: { humanBones: { hips: { node: 9999 }, nose: { node: 0 } } } } },
      { VRM: { humanoid: { humanBones: {} } } },
    ]) {
      try {
        await readCharacter([{ path: 'a.vrm', bytes: await vrm(() => nonsense) }]);
      } catch (error) {
        expect((error as Error).name).toBe('ProblemError');
      }
    }
  });
});
