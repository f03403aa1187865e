import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  createDeformer,
  floatsOf,
  influencesOf,
  listMorphNames,
  listParts,
  skeletonOf,
  type Influences,
} from '../../character/index.ts';
import { measureStance, standUp } from '../../rig/index.ts';
import { compareCharacters } from '../../parity/index.ts';
import { ProblemError } from '../../problem.ts';
import { stickFigure } from '../../testing/stick-figure.ts';
import { readCharacter } from '../read.ts';
import { writeCollada } from './write.ts';

const text = (value: string) => new TextEncoder().encode(value);
const read = (body: string, path = 'a.dae') =>
  readCharacter([
    {
      path,
      bytes: text(
        `<?xml version="1.0"?><COLLADA xmlns="http://www.collada.org/2005/11/COLLADASchema" version="1.4.1">${body}</COLLADA>`,
      ),
    },
  ]);
const source = (id: string, values: number[], stride: number) =>
  `<source id="${id}"><float_array id="${id}-a" count="${values.length}">${values.join(' ')}</float_array><technique_common><accessor source="#${id}-a" count="${values.length / stride}" stride="${stride}"/></technique_common></source>`;
const SQUARE = source('p', [0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0], 3);
const geometry = (faces: string, sources = SQUARE, id = 'g') =>
  `<geometry id="${id}" name="sheet"><mesh>${sources}<vertices id="v"><input semantic="POSITION" source="#p"/></vertices>${faces}</mesh></geometry>`;
const scene = (nodes: string) =>
  `<library_visual_scenes><visual_scene id="s">${nodes}</visual_scene></library_visual_scenes><scene><instance_visual_scene url="#s"/></scene>`;
const whole = (faces: string, nodes = '<node name="it"><instance_geometry url="#g"/></node>', more = '') =>
  `${more}<library_geometries>${geometry(faces)}</library_geometries>${scene(nodes)}`;
const VERTEX = '<input semantic="VERTEX" source="#v" offset="0"/>';
const restOf = (document: Parameters<typeof createDeformer>[0]) => {
  const deformer = createDeformer(document);
  return [...deformer.evaluate(new Float32Array(deformer.vertices * 3))];
};

describe('COLLADA geometry', () => {
  it.each([
    ['triangles', `<triangles count="2">${VERTEX}<p>0 1 2 0 2 3</p></triangles>`, 2],
    ['a polylist', `<polylist count="1">${VERTEX}<vcount>4</vcount><p>0 1 2 3</p></polylist>`, 2],
    ['polygons', `<polygons count="2">${VERTEX}<p>0 1 2</p><p>0 2 3</p></polygons>`, 2],
    ['a fan', `<trifans count="1">${VERTEX}<p>0 1 2 3</p></trifans>`, 2],
    ['a strip', `<tristrips count="1">${VERTEX}<p>0 1 3 2</p></tristrips>`, 2],
  ])('reads %s', async (_name, faces, triangles) => {
    const [part] = listParts((await read(whole(faces))).document);
    expect([part.triangles, part.vertices]).toEqual([triangles, 4]);
    // all face the same way
    expect(
      [...floatsOf(part.prim.getAttribute('NORMAL') as never)].filter((_, i) => i % 3 === 2).every((z) => z > 0.99),
    ).toBe(true);
  });
  it('reads indices of their own for normals and two texture sets, in the order of their set', async () => {
    const sources = SQUARE + source('n', [0, 0, 1], 3) + source('t', [0, 0, 1, 1], 2) + source('u', [0.25, 0.25], 2);
    const faces = `<triangles count="1">${VERTEX}<input semantic="NORMAL" source="#n" offset="1"/><input semantic="TEXCOORD" source="#u" offset="2" set="3"/><input semantic="TEXCOORD" source="#t" offset="3" set="0"/><p>0 0 0 0 1 0 0 1 2 0 0 1</p></triangles>`;
    const { document } = await read(
      `<library_geometries>${geometry(faces, sources)}</library_geometries>${scene('<node><instance_geometry url="#g"/></node>')}`,
    );
    const [part] = listParts(document);
    expect([...floatsOf(part.prim.getAttribute('TEXCOORD_0') as never)]).toEqual([0, 1, 1, 0, 1, 0]);
    expect([...floatsOf(part.prim.getAttribute('TEXCOORD_1') as never)]).toEqual([0.25, 0.75, 0.25, 0.75, 0.25, 0.75]);
  });
  it('puts nodes where their transforms say, in the order they stand', async () => {
    const { document } = await read(
      whole(
        `<triangles count="1">${VERTEX}<p>0 1 2</p></triangles>`,
        '<node><translate>0 0 5</translate><rotate>0 0 1 90</rotate><node><scale>2 2 2</scale><instance_geometry url="#g"/></node></node>',
      ),
    );
    const [, , , x, y, z] = restOf(document);
    expect([x, y, z].map((value) => Math.round(value * 1e5) / 1e5)).toEqual([0, 2, 5]);
  });
  it('keeps unit and axis as declared, and stands up by them', async () => {
    const { document } = await read(
      `<asset><unit meter="0.01"/><up_axis>Z_UP</up_axis></asset>${whole(`<triangles count="1">${VERTEX}<p>0 1 2</p></triangles>`)}`,
    );
    expect(measureStance(document)).toMatchObject({ upAxis: 'z', unitMetres: 0.01 });
  });
  it('lists lights and cameras that came along', async () => {
    const { findings } = await read(
      whole(
        `<triangles count="1">${VERTEX}<p>0 1 2</p></triangles>`,
        '<node><instance_light url="#l"/></node><node><instance_camera url="#c"/></node><node><instance_geometry url="#g"/></node>',
      ),
    );
    expect(findings.filter((finding) => finding.code === 'intake.came-along')).toHaveLength(2);
  });
});

describe('COLLADA materials', () => {
  it('follows a colour map through sampler and surface, and takes alpha, shininess and the second texture set', async () => {
    const png = Uint8Array.of(0x89, 0x50, 0x4e, 0x47);
    const library = `<library_images><image id="i"><init_from>file:///C:/work/My%20Maps/coat.png</init_from></image></library_images><library_effects><effect id="e"><profile_COMMON><newparam sid="f"><surface type="2D"><init_from>i</init_from></surface></newparam><newparam sid="s"><sampler2D><source>f</source></sampler2D></newparam><technique sid="c"><phong><diffuse><texture texture="s" texcoord="CH1"/></diffuse><shininess><float>6</float></shininess><transparent opaque="RGB_ZERO"><color>0.4 0.4 0.4 1</color></transparent><transparency><float>1</float></transparency></phong></technique></profile_COMMON></effect></library_effects><library_materials><material id="m" name="Coat"><instance_effect url="#e"/></material></library_materials>`;
    const sources = SQUARE + source('t', [0, 0], 2) + source('u', [1, 1], 2);
    const faces = `<triangles count="1" material="sym">${VERTEX}<input semantic="TEXCOORD" source="#t" offset="1" set="0"/><input semantic="TEXCOORD" source="#u" offset="1" set="1"/><p>0 0 1 0 2 0</p></triangles>`;
    const body = `${library}<library_geometries>${geometry(faces, sources)}</library_geometries>${scene('<node><instance_geometry url="#g"><bind_material><technique_common><instance_material symbol="sym" target="#m"><bind_vertex_input semantic="CH1" input_semantic="TEXCOORD" input_set="1"/></instance_material></technique_common></bind_material></instance_geometry></node>')}`;
    const { document } = await readCharacter([
      { path: 'models/a.dae', bytes: text(`<COLLADA version="1.4.1">${body}</COLLADA>`) },
      { path: 'maps/coat.png', bytes: png },
    ]);
    const [material] = document.getRoot().listMaterials();
    expect(material.getName()).toBe('Coat');
    expect(material.getBaseColorTexture()?.getURI()).toBe('maps/coat.png');
    expect(material.getBaseColorTextureInfo()?.getTexCoord()).toBe(1);
    expect(material.getRoughnessFactor()).toBeCloseTo(Math.SQRT1_2, 6);
    expect([material.getAlphaMode(), Math.round(material.getBaseColorFactor()[3] * 1000)]).toEqual(['BLEND', 600]);
  });
  it('takes the only material a file declares for surfaces bound to none, and says so', async () => {
    const one = (id: string) => `<material id="${id}" name="${id}"><instance_effect url="#e"/></material>`,
      effect =
        '<library_effects><effect id="e"><profile_COMMON><technique sid="c"><lambert><diffuse><color>1 0 0 1</color></diffuse></lambert></technique></profile_COMMON></effect></library_effects>';
    const faces = `<triangles count="1" material="else">${VERTEX}<p>0 1 2</p></triangles>`;
    const { document, findings } = await read(
      whole(faces, undefined, `${effect}<library_materials>${one('Red')}</library_materials>`),
    );
    expect([
      document.getRoot().listMaterials()[0]?.getName(),
      findings.map((finding) => finding.code).filter((code) => code.startsWith('collada.')),
    ]).toEqual(['Red', ['collada.material-assumed']]);
    expect(
      (
        await read(
          whole(faces, undefined, `${effect}<library_materials>${one('Red')}${one('Blue')}</library_materials>`),
        )
      ).document
        .getRoot()
        .listMeshes()[0]
        .listPrimitives()[0]
        .getMaterial(),
    ).toBeNull();
  });
  it('reads lists written with decimal commas, and says so', async () => {
    const { document, findings } = await read(
      whole(`<triangles count="1">${VERTEX}<p>0 1 2</p></triangles>`).replace(
        /(<float_array[^>]*>)([^<]*)/,
        (_, open: string, list: string) =>
          `${open}${list
            .trim()
            .split(/\s+/)
            .map((x) => (Number(x) * 1.5).toFixed(2).replace('.', ','))
            .join(' ')}`,
      ),
    );
    expect(findings.map((finding) => finding.code)).toContain('intake.decimal-comma');
    expect(Math.max(...restOf(document))).toBeCloseTo(1.5, 6);
  });
  it("takes a material that says it can't be seen as opaque, and says so", async () => {
    const library =
      '<library_effects><effect id="e"><profile_COMMON><technique sid="c"><lambert><diffuse><color>1 0 0 1</color></diffuse><transparency><float>0</float></transparency></lambert></technique></profile_COMMON></effect></library_effects><library_materials><material id="sym" name="Red"><instance_effect url="#e"/></material></library_materials>';
    const { document, findings } = await read(
      whole(`<triangles count="1" material="sym">${VERTEX}<p>0 1 2</p></triangles>`, undefined, library),
    );
    expect(document.getRoot().listMaterials()[0].getBaseColorFactor()).toEqual([1, 0, 0, 1]);
    expect(findings.map((finding) => finding.code)).toContain('collada.invisible');
  });
});

describe('COLLADA characters', () => {
  it('come back as they went: shape, morphs, poses, names, weights', async () => {
    const figure = stickFigure();
    const { document } = await readCharacter(writeCollada(figure, 'stick'));
    const { shape, inventory } = await compareCharacters(figure, document, { samples: 3000 });
    expect(
      Math.max(shape.rest.maxMm, ...shape.morphs.map((row) => row.maxMm), ...shape.poses.map((row) => row.maxMm)),
    ).toBeLessThan(0.01);
    expect(inventory.lost).toEqual([]);
    expect(inventory.added).toEqual([]);
    const weights = (d: typeof document) => (influencesOf(listParts(d)[0].prim) as Influences).weights;
    expect(weights(document).length).toBe(weights(figure).length);
    expect(skeletonOf(document).joints.map((joint) => joint.getParentNode()?.getName())).toEqual(
      skeletonOf(figure).joints.map((joint) => joint.getParentNode()?.getName()),
    );
    expect(listMorphNames(document)).toEqual(listMorphNames(figure));
  });
  it('in centimetres, lying on their back, stand the same', async () => {
    const figure = stickFigure(),
      lying = stickFigure();
    // the inverse of standing up: from metres, Y up to centimetres, Z up
    standUp(lying, { unitMetres: 100, upAxis: '-z', facing: '+z', floor: false });
    const { document } = await readCharacter(writeCollada(lying, 'stick', { unitMetres: 0.01, upAxis: 'Z_UP' }));
    const found = measureStance(document);
    expect(found).toMatchObject({ upAxis: 'z', unitMetres: 0.01 });
    standUp(document, { ...found, floor: false });
    const { shape } = await compareCharacters(figure, document, { samples: 3000 });
    expect(Math.max(shape.rest.maxMm, ...shape.poses.map((row) => row.maxMm))).toBeLessThan(0.05);
  });
  it('keep a turning joint turning: a curve of angles reads as the rotation it makes', async () => {
    const figure = stickFigure();
    const xml = new TextDecoder().decode(writeCollada(figure, 'stick')[0].bytes);
    const arm =
      /<node id="(node\d+)" sid="\1" name="leftLowerArm" type="JOINT"><matrix sid="transform">([^<]*)<\/matrix>/.exec(
        xml,
      ) as RegExpExecArray;
    const [, id, matrix] = arm;
    const m = matrix.split(' ').map(Number);
    const curve = `<library_animations><animation id="swing">${source('ti', [0, 1], 1)}${source('ou', [0, 90], 1)}<source id="ki"><Name_array count="2">LINEAR LINEAR</Name_array></source><sampler id="sm"><input semantic="INPUT" source="#ti"/><input semantic="OUTPUT" source="#ou"/><input semantic="INTERPOLATION" source="#ki"/></sampler><channel source="#sm" target="${id}/rotateZ.ANGLE"/></animation></library_animations>`;
    const changed = xml
      .replace(
        arm[0],
        arm[0].replace(
          /<matrix.*<\/matrix>/,
          `<translate sid="t">${m[3]} ${m[7]} ${m[11]}</translate><rotate sid="rotateZ">0 0 1 0</rotate>`,
        ),
      )
      .replace('<library_visual_scenes>', `${curve}<library_visual_scenes>`);
    const { document } = await readCharacter([{ path: 'a.dae', bytes: text(changed) }]);
    const [clip] = document.getRoot().listAnimations();
    expect(clip.listChannels().map((channel) => [channel.getTargetNode()?.getName(), channel.getTargetPath()])).toEqual(
      [['leftLowerArm', 'rotation']],
    );
    const output = floatsOf(clip.listSamplers()[0].getOutput() as never),
      times = floatsOf(clip.listSamplers()[0].getInput() as never);
    const middle = [...times].findIndex((t) => Math.abs(t - 0.5) < 1e-4);
    expect(output[middle * 4 + 2]).toBeCloseTo(Math.sin(Math.PI / 8), 4);
    expect(output[output.length - 2]).toBeCloseTo(Math.SQRT1_2, 5);
  });
  it('lose no influence: nine joints at one vertex arrive as nine', async () => {
    const joints = Array.from({ length: 9 }, (_, i) => `j${i}`);
    const eye = '1 0 0 0 0 1 0 0 0 0 1 0 0 0 0 1';
    const skin = `<library_controllers><controller id="c"><skin source="#g"><source id="jn"><Name_array count="9">${joints.join(' ')}</Name_array></source>${source('b', Array(9).fill(eye.split(' ').map(Number)).flat(), 16)}${source('w', [1, 2, 3, 4, 5, 6, 7, 8, 9], 1)}<joints><input semantic="JOINT" source="#jn"/><input semantic="INV_BIND_MATRIX" source="#b"/></joints><vertex_weights count="4"><input semantic="JOINT" source="#jn" offset="0"/><input semantic="WEIGHT" source="#w" offset="1"/><vcount>9 1 1 1</vcount><v>${joints.map((_, i) => `${i} ${i}`).join(' ')} 0 0 0 0 0 0</v></vertex_weights></skin></controller></library_controllers>`;
    const nodes = `${joints.map((joint) => `<node id="${joint}" sid="${joint}" name="${joint}" type="JOINT">`).join('')}${'</node>'.repeat(9)}<node name="it"><instance_controller url="#c"><skeleton>#j0</skeleton></instance_controller></node>`;
    const { document } = await read(
      `<library_geometries>${geometry(`<triangles count="1">${VERTEX}<p>0 1 2</p></triangles>`)}</library_geometries>${skin}${scene(nodes)}`,
    );
    const influences = influencesOf(listParts(document)[0].prim) as Influences;
    const first = [...influences.weights.slice(0, influences.perVertex)].filter((w) => w > 0);
    expect(first).toHaveLength(9);
    expect(first[8]).toBeCloseTo(9 / 45, 6);
  });
});

describe('broken COLLADA', () => {
  const good = whole(`<triangles count="1">${VERTEX}<p>0 1 2</p></triangles>`);
  it.each([
    ['no XML', 'hello', /cut off or damaged/],
    ['cut in the middle', `<COLLADA>${good}`.slice(0, 200), /cut off or damaged/],
    ['another root', '<svg/>', /not COLLADA/],
    ['nothing in it', '<COLLADA/>', /holds no triangles/],
    ['an index too large', `<COLLADA>${good.replace('0 1 2', '0 1 9')}</COLLADA>`, /names vertex 9/],
    ['an index too small', `<COLLADA>${good.replace('0 1 2', '0 1 -3')}</COLLADA>`, /names vertex -3/],
    [
      'a count that lies',
      `<COLLADA>${good.replace('count="4"', 'count="4000000000"')}</COLLADA>`,
      /says 4000000000 entries/,
    ],
    [
      'holes',
      `<COLLADA>${whole(`<polygons count="1">${VERTEX}<ph><p>0 1 2</p><h>0 1 2</h></ph></polygons>`)}</COLLADA>`,
      /have holes/,
    ],
    ['a place that is none', `<COLLADA>${good.replace('1 1 0', '1 NaN 0')}</COLLADA>`, /no finite place/],
    [
      'nodes in a circle',
      `<COLLADA>${whole(`<triangles count="1">${VERTEX}<p>0 1 2</p></triangles>`, '<node id="n"><instance_node url="#n"/><instance_geometry url="#g"/></node>')}</COLLADA>`,
      /circle/,
    ],
  ])('is refused with a sentence: %s', async (_name, xml, pattern) => {
    await expect(readCharacter([{ path: 'a.dae', bytes: text(xml) }])).rejects.toThrow(pattern);
  });
  it('survives bytes changed at random: a sentence or a character, never another error', async () => {
    const bytes = writeCollada(stickFigure({ rings: 2, sides: 3 }), 'stick')[0].bytes;
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.tuple(fc.nat(bytes.length - 1), fc.nat(127)), { minLength: 1, maxLength: 10 }),
        fc.nat(5),
        fc.nat(bytes.length),
        async (changes, cut, at) => {
          const copy = bytes.slice(0, cut === 0 ? at : bytes.length);
          for (const [place, value] of changes) if (place < copy.length) copy[place] = value;
          try {
            await readCharacter([{ path: 'a.dae', bytes: copy }]);
          } catch (error) {
            if (!(error instanceof ProblemError)) throw error;
          }
        },
      ),
      { seed: 7, numRuns: 60 },
    );
  });
});
