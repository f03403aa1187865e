import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  floatsOf,
  influencesOf,
  listParts,
  materialKindOf,
  partRoleOf,
  trianglesOf,
  wordsOf,
  type Influences,
} from './character/index.ts';
import { analyseAlpha, decideAlpha, type AlphaFound } from './materials/index.ts';
import { seededRandom } from './geometry/index.ts';
import { morphComponents, reduceStep, shareBudget, simplifyParts, weightAttributes } from './reduce/index.ts';
import { SHIPPED_TARGETS } from './targets/index.ts';
import { testContext } from './testing/context.ts';
import { stickFigure } from './testing/stick-figure.ts';
import { planTextures, applyTexturePlan } from './textures/index.ts';
import { operationsOf, textureState } from './pixels/index.ts';
import { limitInfluences } from './weights/index.ts';
import { Document } from '@gltf-transform/core';

describe('limitInfluences', () => {
  const any = fc.integer({ min: 1, max: 12 }).chain((perVertex) =>
    fc
      .array(fc.array(fc.integer({ min: 0, max: 100 }), { minLength: perVertex, maxLength: perVertex }), {
        minLength: 1,
        maxLength: 20,
      })
      .map(
        (rows): Influences => ({
          perVertex,
          joints: Uint16Array.from(rows.flatMap((row) => row.map((_, k) => k))),
          weights: Float32Array.from(
            rows.flatMap((row) => {
              const sum = row.reduce((a, b) => a + b, 0) || 1;
              return row.map((w) => w / sum);
            }),
          ),
        }),
      ),
  );
  it('keeps the strongest, sums to one, and changes nothing below the limit', () => {
    fc.assert(
      fc.property(any, fc.integer({ min: 1, max: 8 }), (source, most) => {
        const { influences } = limitInfluences(source, most);
        for (let v = 0; v < source.joints.length / source.perVertex; v++) {
          const before = [...source.weights.slice(v * source.perVertex, (v + 1) * source.perVertex)]
            .filter((w) => w > 0)
            .sort((a, b) => b - a);
          const after = [...influences.weights.slice(v * influences.perVertex, (v + 1) * influences.perVertex)].filter(
            (w) => w > 0,
          );
          expect(after.length).toBe(Math.min(most, before.length));
          if (after.length) expect(after.reduce((a, b) => a + b, 0)).toBeCloseTo(1, 6);
          if (before.length <= most) after.forEach((w, k) => expect(w).toBeCloseTo(before[k], 6));
        }
      }),
      { seed: 1, numRuns: 100 },
    );
  });
});

describe('shareBudget', () => {
  const parts = [
    { id: 'head', triangles: 30_000, role: 'head' },
    { id: 'coat', triangles: 60_000, role: 'garment' },
    { id: 'eyes', triangles: 400, role: 'eyes' },
  ];
  it('adds up to the budget, gives the head more of what it has, and no part more than it has', () => {
    fc.assert(
      fc.property(fc.integer({ min: 60, max: 90_400 }), (budget) => {
        const rows = shareBudget(parts, budget);
        expect(rows.reduce((sum, row) => sum + row.to, 0)).toBe(budget);
        for (const row of rows) expect(row.to).toBeLessThanOrEqual(row.from);
        expect(rows[0].to / rows[0].from).toBeGreaterThanOrEqual(rows[1].to / rows[1].from - 1e-3);
      }),
      { seed: 2, numRuns: 200 },
    );
  });
  it('serves fixed parts first', () => {
    const rows = shareBudget(parts, 20_000, { coat: 12_000 });
    expect(rows[1]).toMatchObject({ to: 12_000, fixed: true });
    expect(rows[0].to + rows[2].to).toBe(8000);
  });
  it('keeps everything where the budget is larger than the figure', () => {
    expect(shareBudget(parts, 1e6).map((row) => row.to)).toEqual([30_000, 60_000, 400]);
  });
});

describe('morphComponents', () => {
  it('rebuild deltas that lie in as many patterns as asked for', () => {
    const a = Float32Array.of(1, 0, 0, 0, 0, 0),
      b = Float32Array.of(0, 0, 0, 0, 2, 0);
    const deltas = [a, b, a.map((x, i) => x + b[i]), a.map((x, i) => x - b[i])];
    const found = morphComponents(deltas, 2);
    expect(found.length).toBe(2);
    // energy is kept: the sum of squares of the patterns is that of the deltas
    const energy = (list: Float32Array[]) => list.reduce((sum, d) => sum + d.reduce((s, x) => s + x * x, 0), 0);
    expect(energy(found)).toBeCloseTo(energy(deltas), 3);
  });
  it('find the patterns that hundreds of morphs are mixed of, looking at fewer vertices the more there are', () => {
    const random = seededRandom(12),
      vertices = 4000,
      patterns = Array.from({ length: 3 }, () => Float32Array.from({ length: vertices * 3 }, () => random() - 0.5)),
      deltas = Array.from({ length: 300 }, () => {
        const by = patterns.map(() => random() - 0.5);
        return Float32Array.from({ length: vertices * 3 }, (_, i) =>
          patterns.reduce((sum, pattern, k) => sum + by[k] * pattern[i], 0),
        );
      });
    const found = morphComponents(deltas, 3);
    expect(found.length).toBe(3);
    const energy = (list: readonly Float32Array[]) =>
      list.reduce((sum, d) => sum + d.reduce((s, x) => s + x * x, 0), 0);
    // Nothing of the morphs lies outside of what was found.
    expect(Math.abs(energy(found) / energy(deltas) - 1)).toBeLessThan(0.02);
  });
  it('give nothing for morphs that move nothing', () => {
    expect(morphComponents([new Float32Array(9)], 3)).toEqual([]);
  });
});

it('weightAttributes choose the joints that vary, not those that are the same everywhere', () => {
  const found = weightAttributes([0, 1, 0, 2], [0.5, 0.5, 0.5, 0.5], 2, 3);
  expect(found.length).toBe(2);
  expect(found.map((column) => [...column])).toEqual([
    [0.5, 0],
    [0, 0.5],
  ]);
});

describe('simplifyParts', () => {
  it('keeps vertices, UVs, weights and morph deltas exactly as they were, and every morph', async () => {
    const source = stickFigure({ rings: 20, sides: 16 }),
      result = stickFigure({ rings: 20, sides: 16 });
    const [before] = listParts(source);
    const { parts } = await simplifyParts(result, new Map([['Body', Math.round(before.triangles / 4)]]));
    const [after] = listParts(result);
    expect(after.triangles).toBe(parts[0].to);
    expect(after.triangles).toBeLessThanOrEqual(before.triangles / 4 + 2);
    expect(after.morphNames).toEqual(['lift']);
    const key = (part: typeof before, v: number) =>
      [
        part.prim.getAttribute('POSITION'),
        part.prim.getAttribute('TEXCOORD_0'),
        part.prim.getAttribute('NORMAL'),
        part.prim.listTargets()[0].getAttribute('POSITION'),
      ]
        .map((a) => {
          const values = floatsOf(a as never),
            n = values.length / part.vertices;
          return [...values.slice(v * n, v * n + n)].join();
        })
        .join('|');
    const known = new Set(Array.from({ length: before.vertices }, (_, v) => key(before, v)));
    for (let v = 0; v < after.vertices; v++) expect(known.has(key(after, v))).toBe(true);
    const influences = influencesOf(after.prim);
    for (let k = 0; influences && k < influences.weights.length; k += influences.perVertex)
      expect(influences.weights.slice(k, k + influences.perVertex).reduce((a, b) => a + b, 0)).toBeCloseTo(1, 5);
    expect(Math.max(...trianglesOf(after.prim))).toBeLessThan(after.vertices);
  });
  it('opens no crack between two parts that touch', async () => {
    const document = new Document();
    document.createBuffer();
    const scene = document.createScene();
    const n = 24;
    // two wavy sheets that share the edge x = 0
    for (const side of [-1, 1]) {
      const positions: number[] = [],
        indices: number[] = [];
      for (let j = 0; j <= n; j++)
        for (let i = 0; i <= n; i++)
          positions.push((side * i) / n, j / n, i === 0 ? Math.sin(j) * 0.02 : Math.sin(i * 0.7 + j) * 0.02);
      for (let j = 0; j < n; j++)
        for (let i = 0; i < n; i++) {
          const a = j * (n + 1) + i;
          indices.push(a, a + 1, a + n + 2, a, a + n + 2, a + n + 1);
        }
      const prim = document
        .createPrimitive()
        .setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(new Float32Array(positions)))
        .setIndices(document.createAccessor().setType('SCALAR').setArray(new Uint16Array(indices)));
      scene.addChild(
        document.createNode(side < 0 ? 'left' : 'right').setMesh(document.createMesh().addPrimitive(prim)),
      );
    }
    const edge = (index: number) => {
      const positions = floatsOf(listParts(document)[index].prim.getAttribute('POSITION') as never);
      const out = new Set<string>();
      for (let i = 0; i < positions.length; i += 3)
        if (positions[i] === 0) out.add(`${positions[i + 1]},${positions[i + 2]}`);
      return [...out].sort();
    };
    await simplifyParts(
      document,
      new Map([
        ['left', 200],
        ['right', 200],
      ]),
    );
    expect(edge(0).length).toBe(n + 1);
    expect(edge(0)).toEqual(edge(1));
    expect(listParts(document)[0].triangles).toBeLessThan(300);
  });
});

describe('alpha', () => {
  const pixels = (values: number[]) => ({
    width: values.length,
    height: 1,
    data: Uint8Array.from(values.flatMap((a) => [0, 0, 0, a])),
  });
  it.each<[number[], AlphaFound['pattern']]>([
    [[255, 255, 255], 'none'],
    [[0, 0], 'empty'],
    [[128, 129], 'constant'],
    [[0, 255, 255], 'two-valued'],
    [[0, 60, 120, 255], 'graded'],
  ])('reads %j as %s', (values, pattern) => {
    expect(analyseAlpha(pixels(values)).pattern).toBe(pattern);
  });
  const material = new Document().createMaterial('m');
  const rule = { hair: 'mask', blendAllowed: true } as const;
  const graded = analyseAlpha(pixels([0, 50, 100, 150, 255]));
  it('makes accidental transparency opaque, hair cut-out or blended as the target sorts it, corneas clear', () => {
    expect(decideAlpha('cloth', analyseAlpha(pixels([255])), 1, rule, material)).toMatchObject({
      alphaMode: 'OPAQUE',
      doubleSided: false,
    });
    expect(decideAlpha('hair', graded, 1, rule, material).alphaMode).toBe('MASK');
    expect(decideAlpha('hair', graded, 1, { hair: 'blend', blendAllowed: true }, material).alphaMode).toBe('BLEND');
    expect(decideAlpha('cornea', null, 0.1, rule, material).alphaMode).toBe('BLEND');
    const blended = new Document().createMaterial('b').setAlphaMode('BLEND');
    expect(decideAlpha('skin', analyseAlpha(pixels([0])), 1, rule, blended).alphaMode).toBe('OPAQUE');
    expect(decideAlpha('cloth', analyseAlpha(pixels([0, 255, 255])), 1, rule, blended).alphaMode).toBe('MASK');
  });
  it('draws from both sides what would be missed from behind, but no body, which is hollow', () => {
    const sides = (kind: Parameters<typeof decideAlpha>[0], backs: number) =>
      decideAlpha(kind, null, 1, rule, material, { underHair: true, backs }).doubleSided;
    expect([sides('cloth', 0.2), sides('cloth', 0.01), sides('hair', 0.02), sides('lash', 0.2)]).toEqual([
      true,
      false,
      false,
      true,
    ]);
    expect([sides('skin', 0.3), sides('nail', 0.1)]).toEqual([false, false]);
    const two = new Document().createMaterial('t').setDoubleSided(true);
    expect(decideAlpha('cloth', null, 1, rule, two).doubleSided).toBe(false);
  });
  it('blends a scalp only under hair that is cut out, lashes and brows where the target blends at all', () => {
    const blends = { hair: 'blend', blendAllowed: true } as const,
      cant = { hair: 'mask', blendAllowed: false } as const,
      mode = (
        kind: Parameters<typeof decideAlpha>[0],
        how: typeof blends | typeof rule | typeof cant,
        underHair: boolean,
      ) => decideAlpha(kind, graded, 1, how, material, { underHair, backs: 0 }).alphaMode;
    expect([mode('scalp', blends, true), mode('scalp', blends, false)]).toEqual(['MASK', 'BLEND']);
    expect([mode('scalp', rule, true), mode('scalp', cant, true)]).toEqual(['BLEND', 'MASK']);
    for (const kind of ['lash', 'brow'] as const)
      expect([mode(kind, rule, true), mode(kind, blends, true), mode(kind, cant, true)]).toEqual([
        'BLEND',
        'BLEND',
        'MASK',
      ]);
  });
  it('takes for a mistake what a file says of the clearness of teeth and nails, and cuts where as much is covered', () => {
    const blended = new Document().createMaterial('b').setAlphaMode('BLEND');
    for (const kind of ['teeth', 'nail', 'tongue', 'eye', 'skin'] as const)
      expect(decideAlpha(kind, null, 0.1, rule, blended).alphaMode).toBe('OPAQUE');
    expect(decideAlpha('cloth', null, 0.1, rule, blended).alphaMode).toBe('BLEND');
    // Of ten texels three are solid, three half there: four and a half are covered, so the cut lies among the half ones.
    const strands = analyseAlpha(pixels([255, 255, 255, 160, 120, 100, 0, 0, 0, 0])),
      { alphaCutoff } = decideAlpha('hair', strands, 1, rule, material);
    expect([strands.pattern, alphaCutoff]).toEqual(['graded', expect.closeTo(120 / 255, 2)]);
  });
  it("never cuts away whole what is clear everywhere: blended, or left out where the target can't", () => {
    const blended = new Document().createMaterial('b').setAlphaMode('BLEND'),
      cant = { hair: 'mask', blendAllowed: false } as const;
    for (const found of [null, analyseAlpha(pixels([60, 61]))]) {
      const factor = found ? 1 : 0.1;
      expect(decideAlpha('cornea', found, factor, cant, blended)).toMatchObject({ leaveOut: true });
      expect(decideAlpha('cornea', found, factor, rule, blended)).toMatchObject({
        alphaMode: 'BLEND',
        leaveOut: false,
      });
      expect(decideAlpha('cloth', found, factor, rule, blended).alphaMode).toBe('BLEND');
      expect(decideAlpha('cloth', found, factor, cant, blended).alphaMode).toBe('OPAQUE');
    }
    expect(decideAlpha('glass', analyseAlpha(pixels([0, 255])), 1, cant, blended)).toMatchObject({
      alphaMode: 'MASK',
      leaveOut: false,
    });
  });
  it('leaves what an opaque material has in alpha unused, strands apart', () => {
    const opaque = new Document().createMaterial('o').setAlphaMode('OPAQUE'),
      cut = analyseAlpha(pixels([0, 255, 255]));
    expect(decideAlpha('cloth', cut, 1, rule, opaque).alphaMode).toBe('OPAQUE');
    expect(decideAlpha('skin', graded, 1, rule, opaque).alphaMode).toBe('OPAQUE');
    expect(decideAlpha('lash', cut, 1, rule, opaque).alphaMode).toBe('MASK');
  });
  it('draws mouths and nails solid, whatever a little of their alpha says', () => {
    const blended = new Document().createMaterial('b').setAlphaMode('BLEND'),
      soft = analyseAlpha(pixels([...Array(60).fill(255), ...Array(40).fill(200)]));
    for (const kind of ['teeth', 'tongue', 'nail', 'lips'] as const)
      expect(decideAlpha(kind, soft, 1, rule, blended).alphaMode).toBe('OPAQUE');
    expect(decideAlpha('cloth', soft, 1, rule, blended).alphaMode).not.toBe('OPAQUE');
  });
});

describe('kinds and roles', () => {
  const material = (name: string) => new Document().createMaterial(name);
  it.each([
    ['Skin_Head', 'Head', 'skin', 'head'],
    ['EyeLashes', 'x', 'lash', 'lashes'],
    ['Hair_Short', 'Fringe', 'hair', 'hair'],
    ['mat_07', 'LeftBoot', 'rubber', 'footwear'],
    ['Eye_Cornea', 'Eyes', 'cornea', 'eyes'],
    ['M_Jacket', 'part3', 'cloth', 'garment'],
    ['thing', 'thing', 'other', 'other'],
  ])('%s on %s is %s, %s', (name, part, kind, role) => {
    expect(materialKindOf(material(name), part)).toBe(kind);
    expect(partRoleOf(part, material(name))).toBe(role);
  });
  it('takes what was said by hand', () => {
    expect(materialKindOf(material('Skin'), '', { Skin: 'leather' })).toBe('leather');
  });
  it('splits names into words', () => {
    expect(wordsOf('LeftUpperArm_02-Größe')).toEqual(['left', 'upper', 'arm', '02', 'gro', 'e']);
  });
});

describe('planTextures', () => {
  const figure = () => {
    const document = stickFigure();
    const png = (width: number, height: number) => {
      const bytes = new Uint8Array(33);
      bytes.set([0x89, 0x50, 0x4e, 0x47, 13, 10, 26, 10, 0, 0, 0, 13, 0x49, 0x48, 0x44, 0x52]);
      new DataView(bytes.buffer).setUint32(16, width);
      new DataView(bytes.buffer).setUint32(20, height);
      return bytes;
    };
    const [material] = document.getRoot().listMaterials();
    const texture = (name: string, w: number, h: number) =>
      document.createTexture(name).setImage(png(w, h)).setMimeType('image/png');
    material
      .setBaseColorTexture(texture('color', 2048, 1024))
      .setNormalTexture(texture('normal', 2048, 2048))
      .setOcclusionTexture(texture('occlusion', 512, 512));
    return document;
  };
  it('keeps proportions, never enlarges, and follows the channel limits', () => {
    const plans = planTextures(figure(), { maxSize: 1024, sizes: { occlusion: 256 }, formats: ['image/png'] });
    expect(plans.map((plan) => [plan.to.width, plan.to.height, plan.content])).toEqual([
      [1024, 512, 'color'],
      [1024, 1024, 'normal'],
      [256, 256, 'data'],
    ]);
    expect(
      planTextures(figure(), { maxSize: 4096, sizes: {}, formats: ['image/png'] }).every(
        (plan) => plan.to.width === plan.from.width,
      ),
    ).toBe(true);
  });
  it('gives up data, then normals, then colour until the memory fits', () => {
    const most = 1_500_000,
      plans = planTextures(figure(), { maxSize: 1024, sizes: {}, formats: ['image/jpeg'], maxMemory: most });
    expect(plans.reduce((sum, plan) => sum + (plan.to.width * plan.to.height * 16) / 3, 0)).toBeLessThanOrEqual(most);
    expect(plans.every((plan) => plan.to.mimeType === 'image/jpeg')).toBe(true);
  });
  it('writes operations once: a second size replaces the first', () => {
    const document = figure(),
      [texture] = document.getRoot().listTextures();
    for (const maxSize of [512, 256])
      applyTexturePlan(planTextures(document, { maxSize, sizes: {}, formats: ['image/png'] }));
    expect(operationsOf(texture)).toHaveLength(1);
    expect(textureState(texture)).toMatchObject({ width: 256, height: 128 });
  });
});

describe('reduce.simplify', () => {
  it("keeps the budget for the whole even where a part can't give its share", async () => {
    // Two copies of the figure in one place lock each other's vertices; a third part stands apart and gives.
    const document = stickFigure({ rings: 12, sides: 12 }),
      other = stickFigure({ rings: 12, sides: 12 });
    const [part] = listParts(document),
      source = listParts(other)[0].prim;
    const copy = (shift: number, name: string) => {
      const prim = document
        .createPrimitive()
        .setMaterial(part.material)
        .setIndices(
          document
            .createAccessor()
            .setType('SCALAR')
            .setArray(Uint32Array.from(trianglesOf(source))),
        );
      for (const semantic of ['POSITION', 'NORMAL'])
        prim.setAttribute(
          semantic,
          document
            .createAccessor()
            .setType('VEC3')
            .setArray(
              Float32Array.from(floatsOf(source.getAttribute(semantic) as never), (x, i) =>
                semantic === 'POSITION' && i % 3 === 0 ? x + shift : x,
              ),
            ),
        );
      document
        .getRoot()
        .listScenes()[0]
        .addChild(document.createNode(name).setMesh(document.createMesh(name).addPrimitive(prim)));
    };
    copy(0, 'Shadow');
    copy(3, 'Apart');
    const before = listParts(document).reduce((sum, entry) => sum + entry.triangles, 0),
      budget = Math.round(before * 0.75);
    const target = SHIPPED_TARGETS[0];
    const { measures } = await reduceStep.run(
      document,
      { triangles: budget, parts: {}, importance: {} },
      target,
      testContext(),
    );
    const after = listParts(document);
    const left = after.reduce((sum, entry) => sum + entry.triangles, 0);
    expect(left).toBeLessThanOrEqual(budget);
    // Nor is more given up than was asked for.
    expect(left).toBeGreaterThan(budget * 0.95);
    expect(measures[0].result).toBeLessThanOrEqual(budget);
    expect((after.find((entry) => entry.name === 'Apart') as (typeof after)[number]).triangles).toBeLessThan(
      (before / 3) * 0.5,
    );
  });
});
