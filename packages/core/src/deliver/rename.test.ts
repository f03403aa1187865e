import { describe, expect, it } from 'vitest';
import { listParts, materialKindOf, skeletonOf, updateDossier } from '../character/index.ts';
import { SHIPPED_TARGETS, type Target } from '../targets/index.ts';
import { figureWithAll } from '../testing/figure-with-all.ts';
import { modelNameOf } from './file-names.ts';
import { renameForDelivery } from './rename.ts';

const target = (names: Target['package']['names']): Target => ({
  ...SHIPPED_TARGETS[0],
  title: 'Bridge',
  package: { ...SHIPPED_TARGETS[0].package, names },
});

describe('names of what is delivered', () => {
  it('follow the patterns; joints keep theirs, and what a material is stays known', () => {
    const document = figureWithAll(),
      joints = skeletonOf(document).joints.map((joint) => joint.getName()),
      [{ name, material, kind }] = listParts(document),
      done = renameForDelivery(
        document,
        target({ part: 'P_{kind}_{name}', material: '{character} {n}', map: 'T_{target}_{name}' }),
        'Stoker',
      ),
      [after] = listParts(document);
    expect(after.name).toBe(`P_${kind}_${name}`);
    expect(after.mesh.getName()).toBe(after.name);
    expect(done.parts).toEqual({ [name]: after.name });
    expect(material?.getName()).toBe('Stoker 01');
    expect(done.materialKinds).toEqual({ 'Stoker 01': kind });
    // By its new name alone nobody would know.
    expect(materialKindOf(material, 'P', {})).not.toBe(materialKindOf(material, 'P', done.materialKinds));
    expect(
      document
        .getRoot()
        .listTextures()
        .map((texture) => [texture.getName(), texture.getURI()]),
    ).toContainEqual(['T_Bridge_color', 'T_Bridge_color.png']);
    expect(skeletonOf(document).joints.map((joint) => joint.getName())).toEqual(joints);
    expect(done.findings).toEqual([]);
  });
  it('never meet a joint’s, are told where they would have met, and where they were cut', () => {
    const document = figureWithAll(),
      [joint] = skeletonOf(document).joints,
      [{ node, material }] = listParts(document);
    node.setName('trunk');
    joint.setName('A trunk');
    document.createMaterial('x'.repeat(90));
    material?.setName('x'.repeat(85));
    const { findings } = renameForDelivery(document, target({ part: 'A {name}', material: '{name}' }), 'Stoker');
    expect(node.getName()).toBe('A trunk_2');
    expect(findings.map(({ code, measured }) => [code, measured])).toEqual([
      ['package.names-collide', 1],
      ['package.names-collide', 1],
      ['package.names-long', 2],
    ]);
  });
  it('stay where no pattern asks for others', () => {
    const document = figureWithAll(),
      names = () => [
        listParts(document).map((part) => part.name),
        document
          .getRoot()
          .listTextures()
          .map((texture) => texture.getURI()),
      ],
      before = names();
    updateDossier(document, {});
    renameForDelivery(document, target({ file: 'SK_{character}' }), 'Stoker');
    expect(names()).toEqual(before);
  });
  it('of a model are its pattern’s as they are written, and no device’s', () => {
    expect(modelNameOf('Hafen Lotse', target({ file: 'SK_{character}_{target}' }))).toBe('SK_Hafen_Lotse_Bridge');
    expect(modelNameOf('con', target({ file: '{character}' }))).toBe('con-character');
    expect(modelNameOf('Hafen Lotse', target(undefined))).toBe('hafen-lotse');
  });
});
