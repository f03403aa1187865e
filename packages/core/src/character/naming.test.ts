import { Document } from '@gltf-transform/core';
import {
  KHRMaterialsClearcoat,
  KHRMaterialsPBRSpecularGlossiness,
  KHRMaterialsSpecular,
} from '@gltf-transform/extensions';
import { describe, expect, it } from 'vitest';
import {
  channelsOfTexture,
  isSeenThrough,
  listMorphNames,
  listParts,
  mapsOf,
  materialKindOf,
  morphNamesOf,
  partRoleOf,
  readDossier,
  removeDossier,
  takeHome,
  updateDossier,
  wordsOf,
} from './index.ts';

describe('words of a name', () => {
  it.each([
    ['SK_LeftUpperArm_01', ['sk', 'left', 'upper', 'arm', '01']],
    ['jacketCloth', ['jacket', 'cloth']],
    ['UVLayer2Map', ['uv', 'layer', '2', 'map']],
    ['Épaule.droite', ['epaule', 'droite']],
    ['  --  ', []],
    ['頭', []],
  ])('%s', (name, words) => {
    expect(wordsOf(name)).toEqual(words);
  });
});

describe('kinds of materials', () => {
  const document = new Document(),
    material = (name: string) => document.createMaterial(name);
  it.each([
    ['Skin_Head', 'skin'],
    ['M_EyeLashes', 'lash'],
    ['eye-wet', 'cornea'],
    ['TearLine', 'tear'],
    ['Hair_Cards', 'hair'],
    ['Skull cap', 'scalp'],
    ['FingerNails', 'nail'],
    ['Foul_Weather_Jacket', 'cloth'],
    ['Boots_Rubber', 'rubber'],
    ['LifeVest', 'cloth'],
    ['Belt Buckle', 'metal'],
    ['Haut', 'skin'],
    ['Wimpern', 'lash'],
    ['Iris_L', 'eye'],
    ['Augenbrauen', 'brow'],
    ['Zahnfleisch_oben', 'gums'],
    ['Pantalon_Tissu', 'cloth'],
    ['ojos', 'eye'],
    ['capelli', 'hair'],
    ['Pullover', 'knit'],
    ['Schnurrbart', 'beard'],
    ['睫毛', 'lash'],
    ['髪の毛', 'hair'],
    ['皮肤_身体', 'skin'],
    ['まつげ', 'lash'],
    ['глаза', 'eye'],
    ['속눈썹', 'lash'],
    ['歯茎', 'gums'],
    ['Material.003', 'other'],
  ])('%s is %s', (name, kind) => {
    expect(materialKindOf(material(name), 'x')).toBe(kind);
  });
  it('asks the part where the material says nothing, and hears what was said by hand before both', () => {
    expect(materialKindOf(material('Material.001'), 'Beanie')).toBe('knit');
    expect(materialKindOf(material('Skin'), 'Body', { Skin: 'rubber' })).toBe('rubber');
    expect(materialKindOf(material('Skin'), 'Body', { Skin: 'no such kind' })).toBe('skin');
    expect(materialKindOf(null, 'Tongue')).toBe('tongue');
  });
  it('knows what is meant to be seen through', () => {
    for (const [kind, yes] of [
      ['hair', true],
      ['tear', true],
      ['glass', true],
      ['cloth', false],
      ['skin', false],
      ['nonsense', false],
    ] as const)
      expect(isSeenThrough(kind)).toBe(yes);
  });
  it.each([
    ['Head', null, 'head'],
    ['Hands', null, 'hands'],
    ['Torso', null, 'body'],
    ['Boots', null, 'footwear'],
    ['Dry_Suit', 'Suit_Laminate', 'garment'],
    ['Mesh.014', 'Cornea', 'cornea'],
    ['Headset', null, 'accessory'],
    ['Blob', null, 'other'],
    ['Lips', null, 'head'],
  ])('part %s of %s is the %s', (part, name, role) => {
    expect(partRoleOf(part, name ? material(name) : null)).toBe(role);
  });
});

describe('parts', () => {
  const triangle = (document: Document, material = '') => {
    const prim = document
      .createPrimitive()
      .setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(new Float32Array(9)));
    return material ? prim.setMaterial(document.createMaterial(material)) : prim;
  };
  it('of one name get numbers, and a mesh under two nodes is two parts', () => {
    const document = new Document(),
      mesh = document.createMesh('Glove').addPrimitive(triangle(document));
    for (const name of ['Glove', 'Glove', 'Glove 2']) document.createNode(name).setMesh(mesh);
    document.createNode().setMesh(mesh);
    expect(listParts(document).map((part) => part.id)).toEqual(['Glove', 'Glove 2', 'Glove 2 2', 'Glove 3']);
    expect(new Set(listParts(document).map((part) => part.id)).size).toBe(4);
  });
  it('of one mesh are told apart by their materials, but not twice by the same words', () => {
    const document = new Document(),
      mesh = document.createMesh('Coat');
    for (const name of ['Coat', 'Lining', '']) mesh.addPrimitive(triangle(document, name));
    document.createNode('Coat').setMesh(mesh);
    expect(listParts(document).map((part) => part.name)).toEqual(['Coat', 'Coat · Lining', 'Coat 2']);
  });
  it('count faces and vertices, none where nothing is there', () => {
    const document = new Document();
    document.createNode('Empty').setMesh(document.createMesh().addPrimitive(document.createPrimitive()));
    expect(listParts(document)[0]).toMatchObject({ triangles: 0, vertices: 0, morphNames: [], material: null });
  });
});

describe('morph names', () => {
  const withTargets = (names: (string | null)[][], said?: unknown) => {
    const document = new Document(),
      mesh = document.createMesh();
    for (const list of names) {
      const prim = document.createPrimitive();
      for (const name of list) prim.addTarget(document.createPrimitiveTarget(name ?? ''));
      mesh.addPrimitive(prim);
    }
    if (said !== undefined) mesh.setExtras({ targetNames: said as string[] });
    return { document, mesh };
  };
  it.each([
    ['the mesh says', [['', '']], ['blink', 'smile'], ['blink', 'smile']],
    ['the targets say', [['blink', 'smile']], undefined, ['blink', 'smile']],
    ['nobody says', [['', '']], undefined, ['morph 1', 'morph 2']],
    ['a list too short', [['', 'own']], ['blink'], ['blink', 'own']],
    ['a list of nonsense', [['', '']], [7, null], ['morph 1', 'morph 2']],
    ['no list at all', [['']], 'blink', ['morph 1']],
    ['primitives of different length', [['a'], ['b', 'c']], undefined, ['b', 'c']],
  ] as [string, string[][], unknown, string[]][])('as %s', (_, targets, said, wanted) => {
    expect(morphNamesOf(withTargets(targets, said).mesh)).toEqual(wanted);
  });
  it('of several meshes are one list', () => {
    const { document } = withTargets([['', '']], ['blink', 'smile']);
    document
      .createMesh()
      .addPrimitive(
        document
          .createPrimitive()
          .addTarget(document.createPrimitiveTarget('smile'))
          .addTarget(document.createPrimitiveTarget('frown')),
      );
    expect(listMorphNames(document)).toEqual(['blink', 'smile', 'frown']);
  });
});

describe('maps of a material', () => {
  it('are found in every extension that carries some', () => {
    const document = new Document(),
      map = () => document.createTexture();
    const material = document
      .createMaterial()
      .setBaseColorTexture(map())
      .setNormalTexture(map())
      .setEmissiveTexture(map())
      .setOcclusionTexture(map());
    const gloss = document
      .createExtension(KHRMaterialsPBRSpecularGlossiness)
      .createPBRSpecularGlossiness()
      .setDiffuseTexture(map())
      .setSpecularGlossinessTexture(map());
    const coat = document.createExtension(KHRMaterialsClearcoat).createClearcoat().setClearcoatNormalTexture(map());
    const specular = document.createExtension(KHRMaterialsSpecular).createSpecular().setSpecularColorTexture(map());
    material
      .setExtension('KHR_materials_pbrSpecularGlossiness', gloss)
      .setExtension('KHR_materials_clearcoat', coat)
      .setExtension('KHR_materials_specular', specular);
    expect(mapsOf(material).map((use) => use.channel)).toEqual([
      'baseColor',
      'normal',
      'occlusion',
      'emissive',
      'diffuse',
      'specularGlossiness',
      'specularColor',
      'clearcoatNormal',
    ]);
  });
  it('tell what one texture is used for by all materials', () => {
    const document = new Document(),
      shared = document.createTexture();
    document.createMaterial('a').setBaseColorTexture(shared);
    document.createMaterial('b').setOcclusionTexture(shared).setMetallicRoughnessTexture(shared);
    expect(channelsOfTexture(document, shared)).toEqual(new Set(['baseColor', 'occlusion', 'metallicRoughness']));
    expect(channelsOfTexture(document, document.createTexture()).size).toBe(0);
  });
});

describe('the dossier', () => {
  it('is empty where there is none, or what stands there makes no sense', () => {
    const document = new Document();
    expect(readDossier(document)).toEqual({ version: 1 });
    for (const odd of ['text', 7, null, { version: 2 }, { version: 1, renamedJoints: { a: 5 } }]) {
      document.getRoot().setExtras({ dimetra: odd });
      expect(readDossier(document)).toEqual({ version: 1 });
    }
  });
  it('keeps what others wrote into the extras, and goes without a trace', () => {
    const document = new Document();
    document.getRoot().setExtras({ studio: 'Saltmarsh' });
    updateDossier(document, { jointRoles: { a: 'hips' } });
    updateDossier(document, { renamedJoints: { a: 'b' } });
    expect(readDossier(document)).toEqual({ version: 1, jointRoles: { a: 'hips' }, renamedJoints: { a: 'b' } });
    removeDossier(document);
    expect(document.getRoot().getExtras()).toEqual({ studio: 'Saltmarsh' });
  });
  it('takes a figure home where it knows the way, joint by joint', () => {
    const document = new Document(),
      joint = document.createNode('arm').setTranslation([0, 1, 0]),
      other = document.createNode('leg').setTranslation([0, 0, 1]);
    document.createSkin().addJoint(joint).addJoint(other);
    expect(takeHome(document)).toBe(false);
    updateDossier(document, {
      homePose: {
        arm: { t: [1, 2, 3], r: [0, 0, 1, 0] },
        leg: { t: [1], r: [] },
        gone: { t: [0, 0, 0], r: [0, 0, 0, 1] },
      },
    });
    expect(takeHome(document)).toBe(true);
    expect([joint.getTranslation(), joint.getRotation(), other.getTranslation()]).toEqual([
      [1, 2, 3],
      [0, 0, 1, 0],
      [0, 0, 1],
    ]);
  });
});
