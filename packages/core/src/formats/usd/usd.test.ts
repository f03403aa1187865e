import fc from 'fast-check';
import { USDCParser } from 'three/examples/jsm/loaders/usd/USDCParser.js';
import { describe, expect, it } from 'vitest';
import {
  ownOf,
  createDeformer,
  floatsOf,
  influencesOf,
  listMorphNames,
  listParts,
  readDossier,
  skeletonOf,
  type Influences,
} from '../../character/index.ts';
import { measureStance } from '../../rig/index.ts';
import { compareCharacters } from '../../parity/index.ts';
import { ProblemError } from '../../problem.ts';
import { stickFigure } from '../../testing/stick-figure.ts';
import { packIntegers, packLz4, writeCrate } from '../../testing/usd-crate.ts';
import type { InputFile } from '../files.ts';
import { readCharacter } from '../read.ts';
import { CrateValues, half } from './crate-values.ts';
import { readUsdCrate } from './crate.ts';
import { newPrim, type UsdLayer, type UsdPrim } from './layer.ts';
import { openLz4 } from './lz4.ts';
import { readUsdText } from './text.ts';
import { usdLayerOf, writeUsd, writeUsdz } from './write.ts';
import { writeUsdText } from './write-text.ts';

const bytes = (text: string) => new TextEncoder().encode(text);
const file = (body: string, path = 'a.usda', meta = ''): InputFile => ({
  path,
  bytes: bytes(`#usda 1.0\n(\n${meta}\n)\n${body}`),
});
const read = (body: string, meta?: string, ...more: InputFile[]) =>
  readCharacter([file(body, 'a.usda', meta), ...more]);
const SQUARE =
  'int[] faceVertexCounts = [4]\nint[] faceVertexIndices = [0, 1, 2, 3]\npoint3f[] points = [(0,0,0), (1,0,0), (1,1,0), (0,1,0)]';
const mesh = (more = '', name = 'sheet') => `def Mesh "${name}" {\n${SQUARE}\n${more}\n}`;
const restOf = (document: Parameters<typeof createDeformer>[0]) => {
  const deformer = createDeformer(document);
  return [...deformer.evaluate(new Float32Array(deformer.vertices * 3))].map((x) => Math.round(x * 1e5) / 1e5);
};
const attribute = (document: Parameters<typeof listParts>[0], semantic: string) => [
  ...floatsOf(listParts(document)[0].prim.getAttribute(semantic) as never),
];
const twist = () => {
  const figure = stickFigure();
  const clip = figure.createAnimation('a wave'),
    node = skeletonOf(figure).joints.find((joint) => joint.getName() === 'leftLowerArm') as never;
  const sampler = figure
    .createAnimationSampler()
    .setInput(
      figure
        .createAccessor()
        .setType('SCALAR')
        .setArray(new Float32Array([0, 0.5, 1])),
    )
    .setOutput(
      figure
        .createAccessor()
        .setType('VEC4')
        .setArray(new Float32Array([0, 0, 0, 1, 0, 0, Math.SQRT1_2, Math.SQRT1_2, 0, 0, 0, 1])),
    );
  clip
    .addSampler(sampler)
    .addChannel(figure.createAnimationChannel().setTargetNode(node).setTargetPath('rotation').setSampler(sampler));
  return figure;
};

describe('USD meshes', () => {
  it('cuts polygons, and turns those of the other hand', async () => {
    const right = await read(mesh()),
      left = await read(mesh('uniform token orientation = "leftHanded"'));
    expect(listParts(right.document)[0]).toMatchObject({ triangles: 2, vertices: 4 });
    const z = (document: typeof right.document) =>
      new Set(
        attribute(document, 'NORMAL')
          .filter((_, i) => i % 3 === 2)
          .map(Math.round),
      );
    expect([...z(right.document)]).toEqual([1]);
    expect([...z(left.document)]).toEqual([-1]);
  });
  it.each([
    ['of every corner', 'faceVarying', '[(0,0), (1,0), (1,1), (0,1)]', ''],
    ['of every point', 'vertex', '[(0,0), (1,0), (1,1), (0,1)]', ''],
    [
      'by indices of their own',
      'faceVarying',
      '[(1,1), (0,1), (0,0), (1,0)]',
      'int[] primvars:st:indices = [2, 3, 0, 1]',
    ],
  ])('reads texture places %s, v upwards', async (_name, interpolation, values, indices) => {
    const { document } = await read(
      mesh(`texCoord2f[] primvars:st = ${values} (\ninterpolation = "${interpolation}"\n)\n${indices}`),
    );
    expect(attribute(document, 'TEXCOORD_0')).toEqual([0, 1, 1, 1, 1, 0, 0, 0]);
  });
  it('splits faces by their subsets, each with its material', async () => {
    const { document } = await read(
      `def Material "Red" {}\ndef Material "Blue" {}\ndef Mesh "two" {\nint[] faceVertexCounts = [3, 3]\nint[] faceVertexIndices = [0,1,2, 0,2,3]\npoint3f[] points = [(0,0,0), (1,0,0), (1,1,0), (0,1,0)]\nrel material:binding = </Red>\ndef GeomSubset "s" {\nuniform token elementType = "face"\nuniform token familyName = "materialBind"\nint[] indices = [1]\nrel material:binding = </Blue>\n}\n}`,
    );
    expect(listParts(document).map((part) => [part.material?.getName(), part.triangles])).toEqual([
      ['Red', 1],
      ['Blue', 1],
    ]);
  });
  it('takes place from the ops in their order, and a reset as such', async () => {
    const place =
      'double3 xformOp:translate = (0, 0, 5)\nfloat xformOp:rotateZ = 90\nuniform token[] xformOpOrder = ["xformOp:translate", "xformOp:rotateZ"]';
    const inner = mesh('float3 xformOp:scale = (2, 2, 2)\nuniform token[] xformOpOrder = ["xformOp:scale"]');
    expect(restOf((await read(`def Xform "g" {\n${place}\n${inner}\n}`)).document).slice(3, 6)).toEqual([0, 2, 5]);
    expect(
      restOf(
        (await read(`def Xform "g" {\n${place}\n${mesh('uniform token[] xformOpOrder = ["!resetXformStack!"]')}\n}`))
          .document,
      ).slice(3, 6),
    ).toEqual([1, 0, 0]);
  });
  it.each([
    ['rotateXYZ', '(90, 0, 90)', [0, 0, 1]],
    ['rotateZYX', '(90, 0, 90)', [-1, 0, 0]],
    ['orient', '(0.70710678, 0.70710678, 0, 0)', [0, 0, 1]],
  ])('turns by %s as the standard says', async (op, value, expected) => {
    // where (0, 1, 0) goes
    const kind = op === 'orient' ? 'quatf' : 'float3';
    const { document } = await read(
      mesh(`${kind} xformOp:${op} = ${value}\nuniform token[] xformOpOrder = ["xformOp:${op}"]`),
    );
    expect(
      restOf(document)
        .slice(9, 12)
        .map((x) => Math.round(x * 1e4) / 1e4 + 0),
    ).toEqual(expected.map((x) => x + 0));
  });
  it('leaves out holes, and says what it has no place for', async () => {
    const { document, findings } = await read(
      `def Mesh "m" {\nint[] faceVertexCounts = [3, 3]\nint[] faceVertexIndices = [0,1,2, 0,2,3]\npoint3f[] points = [(0,0,0), (1,0,0), (1,1,0), (0,1,0)]\nint[] holeIndices = [0]\n}\ndef Sphere "ball" {}\ndef Camera "c" {}\ndef BasisCurves "hair" {}\ndef DistantLight "sun" {}`,
    );
    expect(listParts(document)[0].triangles).toBe(1);
    const said = Object.fromEntries(
      findings
        .filter((finding) => /left-out|came-along/.test(finding.code))
        .map((finding) => [finding.message.split(' ').slice(1, 3).join(' '), finding.severity]),
    );
    expect(said).toEqual({
      'plain solids': 'warning',
      'cameras was': 'info',
      'curves was': 'warning',
      'lights was': 'info',
    });
  });
  it("declares its unit and axis, by the schema's own defaults where the file is silent", async () => {
    expect(readDossier((await read(mesh())).document).declared).toEqual({ unitMetres: 0.01, upAxis: 'y' });
    expect(measureStance((await read(mesh(), 'metersPerUnit = 1\nupAxis = "Z"')).document)).toMatchObject({
      unitMetres: 1,
      upAxis: 'z',
    });
  });
});

describe('USD composition', () => {
  const SHEET = file(
    `def Xform "Model" {\n${mesh('rel material:binding = </Model/Paint>')}\ndef Material "Paint" {}\n}`,
    'parts/sheet.usda',
    'defaultPrim = "Model"',
  );
  it.each([
    ['a reference', '(\nprepend references = @parts/sheet.usda@\n)', ''],
    ['a payload', '(\npayload = @./parts/sheet.usda@</Model>\n)', ''],
    ['a class', '(\ninherits = </_Base>\n)', `class "_Base" (\nreferences = @parts/sheet.usda@\n) {}`],
    ['a variant', '(\nvariants = {\nstring kind = "b"\n}\nprepend variantSets = "kind"\n)', ''],
  ])('follows %s, and leads paths to where it lands', async (name, meta, more) => {
    const body =
      name === 'a variant' ? 'variantSet "kind" = {\n"a" {\n}\n"b" (\nreferences = @parts/sheet.usda@\n) {\n}\n}' : '';
    const { document, used, findings } = await read(`${more}\ndef Xform "Here" ${meta} {\n${body}\n}`, '', SHEET);
    expect(listParts(document).map((part) => [part.name, part.material?.getName(), part.triangles])).toEqual([
      ['sheet', 'Paint', 2],
    ]);
    expect([...used].sort()).toEqual(['a.usda', 'parts/sheet.usda']);
    expect(findings.filter((finding) => finding.severity === 'error')).toEqual([]);
  });
  it('lets the stronger layer speak: an over wins, a sublayer fills', async () => {
    const under = file(
      mesh('double3 xformOp:translate = (0, 0, 1)\nuniform token[] xformOpOrder = ["xformOp:translate"]'),
      'under.usda',
    );
    const { document } = await read(
      'over "sheet" {\ndouble3 xformOp:translate = (7, 0, 0)\n}',
      'subLayers = [@under.usda@]',
      under,
    );
    expect(restOf(document).slice(0, 3)).toEqual([7, 0, 0]);
  });
  it('tells of a file that did not arrive, and reads the rest', async () => {
    const { findings } = await read(`${mesh()}\ndef "gone" (\nreferences = @lost/hat.usd@\n) {}`);
    expect(findings.find((finding) => finding.code === 'usd.missing-layer')?.message).toMatch(/lost\/hat\.usd/);
  });
  it('lets a class be worn by a prim and by one inside it', async () => {
    const { document, findings } = await read(
      `class "_C" {\ndouble3 xformOp:translate = (0, 0, 1)\nuniform token[] xformOpOrder = ["xformOp:translate"]\n}\ndef Xform "A" (\ninherits = </_C>\n) {\ndef Xform "B" (\ninherits = </_C>\n) {\n${mesh()}\n}\n}`,
    );
    expect(findings.filter((finding) => finding.code === 'usd.circle')).toEqual([]);
    expect(restOf(document)[2]).toBe(2);
  });
  it('ends where files bring each other in', async () => {
    const b = file(`def "B" (\nreferences = @a.usda@</A>\n) {}`, 'b.usda');
    const { findings } = await read(`def "A" (\nreferences = @b.usda@</B>\n) {\n${mesh()}\n}`, '', b);
    expect(findings.some((finding) => finding.code === 'usd.circle')).toBe(true);
  });
  it('takes the file that nobody brings in, however small', async () => {
    const big = file(
      `def Xform "Model" {\n${mesh('', 'one')}\n${mesh('', 'two')}\n# ${'x'.repeat(4000)}\n}`,
      'zz.usda',
      'defaultPrim = "Model"',
    );
    const { name, document } = await readCharacter([
      big,
      file('def "C" (\nreferences = @zz.usda@\n) {}', 'character.usda'),
    ]);
    expect([name, listParts(document).length]).toEqual(['character', 2]);
  });
});

describe('USD surfaces', () => {
  const shader = (id: string, body: string) => `uniform token info:id = "${id}"\n${body}`;
  const image = (name: string, path: string, more = '') =>
    `def Shader "${name}" {\n${shader('UsdUVTexture', `asset inputs:file = @${path}@\nfloat2 inputs:st.connect = </M/uv.outputs:result>\n${more}`)}\n}`;
  const material = (inputs: string, images: string) =>
    `def Material "M" {\ntoken outputs:surface.connect = </M/S.outputs:surface>\ndef Shader "S" {\n${shader('UsdPreviewSurface', inputs)}\n}\ndef Shader "uv" {\n${shader('UsdPrimvarReader_float2', 'string inputs:varname = "map2"')}\n}\n${images}\n}`;
  const png = Uint8Array.of(0x89, 0x50, 0x4e, 0x47);
  const bound = mesh(
    'rel material:binding = </M>\ntexCoord2f[] primvars:st = [(0,0)] (\ninterpolation = "constant"\n)\ntexCoord2f[] primvars:map2 = [(1,1)] (\ninterpolation = "constant"\n)',
  );
  it('takes colour, packed roughness and metalness, normal, emission and cut-out', async () => {
    const inputs =
      'color3f inputs:diffuseColor.connect = </M/c.outputs:rgb>\nfloat inputs:roughness.connect = </M/p.outputs:g>\nfloat inputs:metallic.connect = </M/p.outputs:b>\nfloat inputs:occlusion.connect = </M/p.outputs:r>\nnormal3f inputs:normal.connect = </M/n.outputs:rgb>\nfloat inputs:opacity.connect = </M/c.outputs:a>\nfloat inputs:opacityThreshold = 0.3\nfloat inputs:clearcoat = 0.5\nfloat inputs:ior = 1.38';
    const { document } = await readCharacter([
      file(
        `${material(inputs, image('c', 'maps/c.png', 'token inputs:wrapS = "clamp"') + image('p', 'maps/p.png') + image('n', 'maps/n.png'))}\n${bound}`,
      ),
      ...['c', 'p', 'n'].map((name) => ({ path: `maps/${name}.png`, bytes: png })),
    ]);
    const [m] = document.getRoot().listMaterials();
    expect([
      m.getBaseColorTexture()?.getURI(),
      m.getMetallicRoughnessTexture()?.getURI(),
      m.getOcclusionTexture()?.getURI(),
      m.getNormalTexture()?.getURI(),
    ]).toEqual(['maps/c.png', 'maps/p.png', 'maps/p.png', 'maps/n.png']);
    expect([m.getAlphaMode(), Math.round(m.getAlphaCutoff() * 100), m.getBaseColorTextureInfo()?.getWrapS()]).toEqual([
      'MASK',
      30,
      33071,
    ]);
    expect(
      m
        .listExtensions()
        .map((extension) => extension.extensionName)
        .sort(),
    ).toEqual(['KHR_materials_clearcoat', 'KHR_materials_ior']);
    // the set that the images name comes first
    expect(attribute(document, 'TEXCOORD_0').slice(0, 2)).toEqual([1, 0]);
  });
  it('keeps roughness and opacity of images of their own for the materials station', async () => {
    const { document } = await readCharacter([
      file(
        `${material('color3f inputs:diffuseColor = (0.2, 0.4, 0.6)\nfloat inputs:roughness.connect = </M/p.outputs:r>\nfloat inputs:opacity.connect = </M/o.outputs:r>', image('p', 'p.png') + image('o', 'o.png'))}\n${bound}`,
      ),
      { path: 'p.png', bytes: png },
      { path: 'o.png', bytes: png },
    ]);
    const [m] = document.getRoot().listMaterials();
    expect(m.getBaseColorFactor().map((x) => Math.round(x * 100) / 100)).toEqual([0.2, 0.4, 0.6, 1]);
    expect(ownOf(m, 'maps')).toEqual({ roughness: 'p', opacity: 'o' });
  });
  it("follows values through node graphs and the material's own inputs", async () => {
    const { document } = await read(
      `def Material "M" {\nfloat inputs:rough = 0.25\ntoken outputs:surface.connect = </M/G.outputs:out>\ndef NodeGraph "G" {\ntoken outputs:out.connect = </M/G/S.outputs:surface>\ndef Shader "S" {\n${shader('UsdPreviewSurface', 'float inputs:roughness.connect = </M.inputs:rough>')}\n}\n}\n}\n${bound}`,
    );
    expect(document.getRoot().listMaterials()[0].getRoughnessFactor()).toBeCloseTo(0.25, 6);
  });
});

describe('USD characters', () => {
  const same = async (figure: ReturnType<typeof stickFigure>, document: ReturnType<typeof stickFigure>) => {
    const { shape, inventory } = await compareCharacters(figure, document, { samples: 3000 });
    expect(
      Math.max(shape.rest.maxMm, ...shape.morphs.map((row) => row.maxMm), ...shape.poses.map((row) => row.maxMm)),
    ).toBeLessThan(0.01);
    expect([inventory.lost, inventory.added]).toEqual([[], []]);
    const weights = (d: typeof document) => (influencesOf(listParts(d)[0].prim) as Influences).weights;
    expect(weights(document).length).toBe(weights(figure).length);
    expect(skeletonOf(document).joints.map((joint) => joint.getName())).toEqual(
      skeletonOf(figure).joints.map((joint) => joint.getName()),
    );
    expect(listMorphNames(document)).toEqual(listMorphNames(figure));
    const [clip] = document.getRoot().listAnimations(),
      arm = clip
        .listChannels()
        .find(
          (channel) => channel.getTargetNode()?.getName() === 'leftLowerArm' && channel.getTargetPath() === 'rotation',
        )
        ?.getSampler();
    expect([
      clip.getName(),
      ...[...floatsOf(arm?.getOutput() as never)].slice(4, 8).map((x) => Math.round(x * 1e4) / 1e4),
    ]).toEqual(['a wave', 0, 0, 0.7071, 0.7071]);
  };
  it('come back from text as they went', async () => {
    const figure = twist();
    await same(figure, (await readCharacter(writeUsd(figure, 'stick'))).document);
  });
  it('come back packed as .usdz', async () => {
    const figure = twist();
    await same(figure, (await readCharacter([{ path: 'stick.usdz', bytes: writeUsdz(figure, 'stick') }])).document);
  });
  it('come back from the binary form', async () => {
    const figure = twist();
    await same(
      figure,
      (await readCharacter([{ path: 'stick.usdc', bytes: writeCrate(usdLayerOf(figure, 'stick')) }])).document,
    );
  });
  it('bend by joints that the mesh lists in its own order, and by one joint for all', async () => {
    const joints =
      'uniform token[] joints = ["a", "a/b"]\nuniform matrix4d[] bindTransforms = [((1,0,0,0),(0,1,0,0),(0,0,1,0),(0,0,0,1)), ((1,0,0,0),(0,1,0,0),(0,0,1,0),(0,2,0,1))]\nuniform matrix4d[] restTransforms = [((1,0,0,0),(0,1,0,0),(0,0,1,0),(0,0,0,1)), ((1,0,0,0),(0,1,0,0),(0,0,1,0),(0,3,0,1))]';
    const skinned = mesh(
      'int[] primvars:skel:jointIndices = [0] (\ninterpolation = "constant"\nelementSize = 1\n)\nfloat[] primvars:skel:jointWeights = [1] (\ninterpolation = "constant"\nelementSize = 1\n)\nuniform token[] skel:joints = ["a/b"]\nmatrix4d primvars:skel:geomBindTransform = ((1,0,0,0),(0,1,0,0),(0,0,1,0),(5,0,0,1))\nrel skel:skeleton = </R/S>',
    );
    const { document } = await read(`def SkelRoot "R" {\ndef Skeleton "S" {\n${joints}\n}\n${skinned}\n}`);
    // bound at height 2, resting at height 3, shifted by 5 when bound
    expect(restOf(document).slice(0, 3)).toEqual([5, 1, 0]);
  });
  it('keeps shapes on the way as morphs of their own', async () => {
    const { document, findings } = await read(
      mesh(
        'uniform token[] skel:blendShapes = ["smile"]\nrel skel:blendShapeTargets = </sheet/smile>\ndef BlendShape "smile" {\nuniform vector3f[] offsets = [(0,0,1)]\nuniform int[] pointIndices = [2]\nuniform vector3f[] inbetweens:halfway = [(0,1,0)] (\nweight = 0.5\n)\n}',
      ),
    );
    expect(listMorphNames(document)).toEqual(['smile', 'smile halfway']);
    const [target] = listParts(document)[0].prim.listTargets();
    expect([...floatsOf(target.getAttribute('POSITION') as never)]).toEqual([0, 0, 0, 0, 0, 0, 0, 0, 1, 0, 0, 0]);
    expect(findings.some((finding) => finding.code === 'usd.in-between')).toBe(true);
  });
});

/** No number of a character that came in is none. */
const finite = (document: Parameters<typeof listParts>[0]): void => {
  for (const accessor of document.getRoot().listAccessors())
    expect(
      Array.from(accessor.getArray() ?? []).every(Number.isFinite),
      accessor
        .listParents()
        .map((parent) => parent.propertyType)
        .join(),
    ).toBe(true);
  for (const node of document.getRoot().listNodes())
    expect(
      [...node.getTranslation(), ...node.getRotation(), ...node.getScale()].every(Number.isFinite),
      node.getName(),
    ).toBe(true);
};

/** Everything of a layer as plain data. */
const plain = (value: unknown): unknown =>
  value instanceof Map
    ? Object.fromEntries([...value].map(([key, entry]) => [key, plain(entry)]))
    : ArrayBuffer.isView(value)
      ? Array.from(value as Float64Array)
      : Array.isArray(value)
        ? value.map(plain)
        : value && typeof value === 'object'
          ? Object.fromEntries(Object.entries(value).map(([key, entry]) => [key, plain(entry)]))
          : value;

describe('the binary form', () => {
  const layer = (): UsdLayer => usdLayerOf(twist(), 'stick');
  const opinions = (prim: UsdPrim, path = ''): [string, string][] =>
    [...prim.attributes]
      .map(([name, entry]): [string, string] => [
        `${path}.${name}`,
        JSON.stringify(plain(entry.value ?? entry.samples)) ?? '',
      ])
      .concat([...prim.children].flatMap(([name, child]) => opinions(child, `${path}/${name}`)));
  it('says the same as the text form', () => {
    const one = readUsdText(writeUsdText(layer()), 'a'),
      two = readUsdCrate(writeCrate(layer()), 'a');
    const texts = opinions(one.root),
      binary = opinions(two.root),
      words = (list: [string, string][]) =>
        list.map(([path, text]) => [path, text.replace(/-?\d+(\.\d+)?(e-?\d+)?/g, '#')]);
    expect(words(binary)).toEqual(words(texts));
    const numbers = (list: [string, string][]) =>
      list.flatMap(([, text]) => (text.match(/-?\d+(\.\d+)?(e-?\d+)?/g) ?? []).map(Number));
    const a = numbers(texts),
      b = numbers(binary);
    expect(Math.max(...a.map((x, i) => Math.abs(x - b[i])))).toBeLessThan(2e-4);
    expect(plain(two.meta)).toEqual(plain(one.meta));
  });
  it('is read the same by an independent reader', () => {
    const crate = writeCrate(layer()),
      theirs = new USDCParser().parseData(crate.buffer as ArrayBuffer).specsByPath as Record<
        string,
        { fields: Record<string, unknown> }
      >;
    const ours = readUsdCrate(crate, 'a');
    let compared = 0;
    const visit = (prim: UsdPrim, path: string): void => {
      for (const [name, entry] of prim.attributes) {
        const other = theirs[`${path}.${name}`]?.fields.default;
        if (
          other === undefined ||
          Array.isArray(entry.value) ||
          typeof entry.value === 'string' ||
          entry.value instanceof Map
        )
          continue;
        expect(plain(other), `${path}.${name}`).toEqual(plain(entry.value));
        compared++;
      }
      for (const [name, child] of prim.children) visit(child, `${path}/${name}`);
    };
    visit(ours.root, '');
    expect(compared).toBeGreaterThan(10);
  });
  it('keeps arcs, variants and dictionaries', () => {
    const root = newPrim('', 'def'),
      prim = newPrim('A', 'def', 'Xform'),
      choice = newPrim('red'),
      inner = newPrim('Deep', 'def');
    prim.arcs.references = [
      { asset: 'x.usd', prim: '' },
      { asset: 'y.usd', prim: '/B' },
    ];
    prim.arcs.payloads = [{ asset: 'z.usd', prim: '' }];
    prim.arcs.inherits = ['/B'];
    prim.selection.set('tint', 'red');
    choice.children.set('Deep', inner);
    prim.variants.set('tint', new Map([['red', choice]]));
    prim.meta.set(
      'customData',
      new Map<string, never>([
        ['who', 'Vell Sund' as never],
        ['year', 2026 as never],
      ]),
    );
    root.children.set('A', prim).set('B', newPrim('B', 'class'));
    const back = readUsdCrate(writeCrate({ path: 'a', meta: new Map(), subLayers: [], root }), 'a').root.children.get(
      'A',
    ) as UsdPrim;
    expect(plain(back.arcs)).toEqual({
      references: [
        { asset: 'x.usd', prim: '' },
        { asset: 'y.usd', prim: '/B' },
      ],
      payloads: [{ asset: 'z.usd', prim: '' }],
      inherits: ['/B'],
      specializes: [],
    });
    expect(plain(back.selection)).toEqual({ tint: 'red' });
    expect([...(back.variants.get('tint')?.get('red')?.children.keys() ?? [])]).toEqual(['Deep']);
    expect(plain(back.meta.get('customData'))).toEqual({ who: 'Vell Sund', year: 2026 });
  });
  it('opens what LZ4 packs, any bytes', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 600 }), fc.nat(40), (random, run) => {
        const input = Uint8Array.from([...random, ...new Uint8Array(run * 10), ...random]),
          packed = packLz4(input),
          out = new Uint8Array(input.length);
        expect(openLz4(packed, 1, packed.length, out, 0)).toBe(input.length);
        expect(out).toEqual(input);
      }),
      { seed: 3, numRuns: 200 },
    );
  });
  it('opens packed integers, any list', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: -(2 ** 31), max: 2 ** 31 - 1 }), { maxLength: 300 }), (list) => {
        const packed = packIntegers(list),
          bytes = new Uint8Array(8 + packed.length);
        new DataView(bytes.buffer).setUint32(0, packed.length, true);
        bytes.set(packed, 8);
        expect(
          Array.from(new CrateValues(bytes, 8, (what) => new Error(what)).integers(0, list.length).values),
        ).toEqual(list);
      }),
      { seed: 4, numRuns: 200 },
    );
  });
  it('knows half precision', () => {
    expect([0x3c00, 0xc000, 0x7c00, 0x0001, 0x3555, 0x8000].map(half)).toEqual([
      1,
      -2,
      Infinity,
      2 ** -24,
      0.333251953125,
      -0,
    ]);
  });
});

describe('USD text', () => {
  const parse = (text: string) => readUsdText(bytes(`#usda 1.0\n${text}`), 'a.usda');
  it('reads all that its grammar has', () => {
    const layer = parse(
      `( "a note"\n doc = """two\nlines with "quotes" """\n customLayerData = { string creator = "Saltmarsh" ; dictionary more = { int[] n = [1, 2] } } )\n# a remark\ndef Xform "A" ( prepend apiSchemas = ["X", "Y"]; kind = "group" ) {\n  custom double a:b = -1.5e3 ( customData = { bool yes = 1 } )\n  uniform token t = "it's"\n  string s = 'say "hi"\\n'\n  float3[] none = []\n  int[] i.timeSamples = { 0: [1, 2], 1.5: None, 3: [4, 5], }\n  prepend rel r = [</A/B>, <../C>]\n  matrix4d m = ( (1, 0, 0, 0), (0, 1, 0, 0), (0, 0, 1, 0), (0, 0, 0, 1) )\n  quatf q = (1, 2, 3, 4)\n  asset f = @@@odd @ name.png@@@\n  reorder nameChildren = ["C", "B"]\n  def "B" { }\n}\nover "A" { double late = 2 }`,
    );
    const a = layer.root.children.get('A') as UsdPrim,
      of = (name: string) => plain(a.attributes.get(name)?.value);
    expect([of('a:b'), of('t'), of('s'), of('none'), of('q'), of('late')]).toEqual([
      -1500,
      "it's",
      'say "hi"\n',
      [],
      [2, 3, 4, 1],
      2,
    ]);
    expect(plain(a.attributes.get('i')?.samples)).toEqual({
      times: [0, 3],
      values: [
        [1, 2],
        [4, 5],
      ],
    });
    expect(of('f')).toEqual([{ asset: 'odd @ name.png', prim: '' }]);
    expect(a.relations.get('r')).toEqual(['/A/B', '../C']);
    expect(plain(layer.meta)).toMatchObject({
      comment: 'a note',
      doc: 'two\nlines with "quotes" ',
      customLayerData: { creator: 'Saltmarsh', more: { n: [1, 2] } },
    });
    expect((of('m') as number[]).length).toBe(16);
  });
  it.each([
    ['no brace', 'def "A"', /line 2, “{” is missing/],
    ['cut in a prim', 'def "A" {\n int a = 1', /not closed/],
    ['cut in numbers', 'def "A" {\n int[] a = [1, 2', /not closed/],
    ['a word among numbers', 'def "A" {\n int[] a = [1, x]\n}', /“x\]” stands among numbers/],
    ['a name without quotes', 'def Mesh A {}', /name in quotes is missing/],
    ['no value', 'def "A" {\n int a = }', /line 3, “}” is no value/],
    ['an open text', 'def "A" {\n string a = "b\n}', /quotes is not closed/],
    ['an open path', 'def "A" {\n rel a = <b\n}', /not closed/],
    ['stray sign', ')', /stands where a prim/],
  ])('says where it is broken: %s', (_name, text, pattern) => {
    expect(() => parse(text)).toThrow(pattern);
    expect(() => parse(text)).toThrow(ProblemError);
  });
  it('is refused when it nests without end', () => {
    expect(() => parse('def "A" {'.repeat(2000))).toThrow(/nested more than/);
  });
});

describe('broken USD', () => {
  it('keeps what is no number out of places, texture places and motions', async () => {
    const { document } = await read(
      `def Xform "g" {\ndouble3 xformOp:translate = (nan, 0, 0)\nfloat3 xformOp:scale = (2, 2, 2)\nuniform token[] xformOpOrder = ["xformOp:translate", "xformOp:scale"]\n${mesh('texCoord2f[] primvars:st = [(nan, inf)] (\ninterpolation = "constant"\n)')}\n}`,
    );
    finite(document);
    expect(restOf(document).slice(3, 6)).toEqual([2, 0, 0]);
  });
  const good = mesh();
  it.each([
    ['an index too large', good.replace('1, 2, 3]', '1, 2, 9]'), /names point 9 of 4/],
    ['a place that is none', good.replace('(1,1,0)', '(1,nan,0)'), /point 2 has no finite place/],
    ['too few corners', good.replace('[4]', '[40]'), /its faces need 40 corners/],
    ['nothing in it', 'def Xform "a" {}', /holds no polygon meshes/],
    [
      'a subset too far',
      mesh('def GeomSubset "s" {\nint[] indices = [7]\nrel material:binding = </M>\n}'),
      /names face 7 of 1/,
    ],
  ])('is refused with a sentence: %s', async (_name, body, pattern) => {
    await expect(read(body)).rejects.toThrow(pattern);
  });
  it.each([
    [
      'weights of another length',
      'int[] primvars:skel:jointIndices = [0, 0] (\nelementSize = 1\n)\nfloat[] primvars:skel:jointWeights = [1] (\nelementSize = 1\n)',
      'usd.weights',
    ],
    [
      'no skeleton',
      'int[] primvars:skel:jointIndices = [0,0,0,0]\nfloat[] primvars:skel:jointWeights = [1,1,1,1]',
      'usd.skeleton',
    ],
    [
      'a morph that is not there',
      'uniform token[] skel:blendShapes = ["x"]\nrel skel:blendShapeTargets = </nowhere>',
      'usd.morph',
    ],
    ['a material that is not there', 'rel material:binding = </nowhere>', 'usd.material'],
  ])('comes in with a finding: %s', async (_name, more, code) => {
    expect((await read(mesh(more))).findings.map((finding) => finding.code)).toContain(code);
  });
  it.each([
    ['text', () => writeUsd(stickFigure({ rings: 2, sides: 3 }), 'stick')[0]],
    [
      'binary',
      () => ({ path: 'stick.usdc', bytes: writeCrate(usdLayerOf(stickFigure({ rings: 2, sides: 3 }), 'stick')) }),
    ],
  ])(
    'survives bytes of the %s form changed at random: a sentence or a character, never another error',
    async (_name, make) => {
      const { path, bytes: original } = make();
      await fc.assert(
        fc.asyncProperty(
          fc.array(fc.tuple(fc.nat(original.length - 1), fc.nat(255)), { minLength: 1, maxLength: 12 }),
          fc.nat(5),
          fc.nat(original.length),
          async (changes, cut, at) => {
            const copy = original.slice(0, cut === 0 ? at : original.length);
            for (const [place, value] of changes) if (place < copy.length) copy[place] = value;
            try {
              finite((await readCharacter([{ path, bytes: copy }])).document);
            } catch (error) {
              if (!(error instanceof ProblemError)) throw error;
            }
          },
        ),
        { seed: 11, numRuns: 120 },
      );
    },
  );
});
