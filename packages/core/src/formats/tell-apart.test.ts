import { Document, NodeIO } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { readCharacter } from './index.ts';
import { tellImagesApart, tellJointsApart, tellMaterialsApart } from './tell-apart.ts';

const withMaterials = (...names: string[]): Document => {
  const document = new Document();
  for (const name of names) document.createMaterial(name);
  return document;
};
const namesOf = (document: Document): string[] =>
  document
    .getRoot()
    .listMaterials()
    .map((material) => material.getName());

describe('materials of one name', () => {
  it('leaves names alone that differ', () => {
    const document = withMaterials('Skin', 'Skin 2', 'skin');
    expect(tellMaterialsApart(document)).toEqual([]);
    expect(namesOf(document)).toEqual(['Skin', 'Skin 2', 'skin']);
  });

  it('numbers the second of a name with the next number that is free, and says so', () => {
    const document = withMaterials('Skin', 'Cloth', 'Skin', 'Skin 2', 'Skin');
    const [finding, ...more] = tellMaterialsApart(document);
    expect(namesOf(document)).toEqual(['Skin', 'Cloth', 'Skin 3', 'Skin 2', 'Skin 4']);
    expect(finding).toMatchObject({ code: 'materials.same-name', measured: 2 });
    expect(finding.message).toContain('“Skin 3”, “Skin 4”');
    expect(more).toEqual([]);
  });

  it('names what has no name, and asks nothing more of names given so', () => {
    const document = withMaterials('', 'Material', ' ', '');
    expect(tellMaterialsApart(document)).toMatchObject([{ code: 'materials.no-name', measured: 3 }]);
    expect(namesOf(document)).toEqual(['Material 2', 'Material', 'Material 3', 'Material 4']);
    expect(tellMaterialsApart(document)).toEqual([]);
  });

  it('happens when a file is read, whatever the format', async () => {
    const document = withMaterials('Wool', 'Wool'),
      buffer = document.createBuffer(),
      scene = document.createScene();
    document
      .getRoot()
      .listMaterials()
      .forEach((material, at) => {
        const prim = document
          .createPrimitive()
          .setMaterial(material)
          .setAttribute(
            'POSITION',
            document
              .createAccessor()
              .setType('VEC3')
              .setBuffer(buffer)
              .setArray(new Float32Array([at, 0, 0, at + 1, 0, 0, at, 1, 0])),
          );
        scene.addChild(document.createNode(`Piece${at}`).setMesh(document.createMesh(`Piece${at}`).addPrimitive(prim)));
      });
    const read = await readCharacter([{ path: 'two.glb', bytes: await new NodeIO().writeBinary(document) }]);
    expect(namesOf(read.document)).toEqual(['Wool', 'Wool 2']);
    expect(read.findings.map((finding) => finding.code)).toContain('materials.same-name');
  });
});

describe('joints and images of one name', () => {
  it('numbers joints in the order they hang, names what has no name, and says so', () => {
    const document = new Document(),
      skin = document.createSkin('S');
    const [hips, left, right, bare, other] = ['hips', 'arm', 'arm', '', 'arm_2'].map((name) =>
      document.createNode(name),
    );
    document.createScene().addChild(hips);
    for (const joint of [left, right, bare, other]) hips.addChild(joint);
    for (const joint of [other, right, left, bare, hips]) skin.addJoint(joint);
    const [finding, ...more] = tellJointsApart(document);
    expect([hips, left, right, bare, other].map((joint) => joint.getName())).toEqual([
      'hips',
      'arm',
      'arm_3',
      'joint',
      'arm_2',
    ]);
    expect(finding).toMatchObject({ code: 'skeleton.same-name', severity: 'info', measured: 2 });
    expect(finding.message).toContain('“arm_3”, “joint”');
    expect([more, tellJointsApart(document)]).toEqual([[], []]);
  });
  it('leaves nodes alone that are no joints', () => {
    const document = new Document(),
      nodes = ['Body', 'Body'].map((name) => document.createNode(name));
    expect(tellJointsApart(document)).toEqual([]);
    expect(nodes.map((node) => node.getName())).toEqual(['Body', 'Body']);
  });
  it('keeps two images of one name apart, for what is kept by their names', () => {
    const document = new Document(),
      images = ['skin', 'skin', '', 'map'].map((name) => document.createTexture(name));
    tellImagesApart(document);
    expect(images.map((image) => image.getName())).toEqual(['skin', 'skin 2', 'map 2', 'map']);
  });
});
