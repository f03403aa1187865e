import type { Document, Primitive } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { floatsOf, listMorphNames, listParts, morphNamesOf } from './character/index.ts';
import { readCharacter, writeGlb, writeGltfFiles } from './formats/index.ts';
import { summarise } from './inspect/index.ts';
import { morphRows } from './morphs/index.ts';
import { ProblemError } from './problem.ts';
import { runRecipe } from './recipe/index.ts';
import { SHIPPED_TARGETS, type Target } from './targets/index.ts';
import { testContext } from './testing/context.ts';
import { stickFigure } from './testing/stick-figure.ts';

const target = SHIPPED_TARGETS.find(({ id }) => id === 'browser-viewer') as Target;
const first = (document: Document): Primitive => listParts(document)[0].prim;

/** The figure with morphs of its own making; a null puts no movement into one. */
function figure(
  moves: readonly (readonly [name: string, delta: (i: number, rest: Float32Array) => number])[],
): Document {
  const document = stickFigure({ rings: 4 }),
    [{ mesh, prim }] = listParts(document),
    rest = floatsOf(prim.getAttribute('POSITION') as never);
  for (const [name, move] of moves)
    prim.addTarget(
      document.createPrimitiveTarget(name).setAttribute(
        'POSITION',
        document
          .createAccessor()
          .setType('VEC3')
          .setArray(rest.map((_, i) => move(i, rest)) as Float32Array<ArrayBuffer>),
      ),
    );
  mesh.setExtras({ targetNames: [...morphNamesOf(mesh).slice(0, 1), ...moves.map(([name]) => name)] });
  return document;
}
const up = (i: number) => (i % 3 === 1 ? 0.01 : 0);
const read = async (document: Document) => readCharacter([{ path: 'a.glb', bytes: await writeGlb(document) }]);
/** Everything that is done to morphs at once. */
const RECIPE = (names: readonly string[]) => [
  { id: 'morphs.body', enabled: true, settings: { heightCm: 190 } },
  { id: 'morphs.carry', enabled: true, settings: { all: true } },
  { id: 'morphs.mirror', enabled: true, settings: { names: [...names].slice(0, 3), from: 'left' } },
  { id: 'morphs.split', enabled: true, settings: { names: [...names].slice(0, 2) } },
  {
    id: 'morphs.fold',
    enabled: true,
    settings: { fold: Object.fromEntries(names.slice(0, 1).map((name) => [name, 0.5])) },
  },
  { id: 'morphs.expressions', enabled: true, settings: { set: 'face' } },
  { id: 'morphs.drop', enabled: true, settings: { empty: true, duplicates: true, toLimit: true, belowMm: 0.01 } },
];
/** Runs all that, and gives back what is left. */
async function through(document: Document): Promise<Document> {
  const names = [...new Set(listMorphNames(document))],
    run = await runRecipe({ document: async () => document }, target, { schema: 1, steps: RECIPE(names) } as never, {
      context: testContext(),
    }),
    out = await run.document();
  for (const { prim } of listParts(out))
    for (const morph of prim.listTargets()) {
      const delta = morph.getAttribute('POSITION');
      if (delta) expect(floatsOf(delta).every(Number.isFinite)).toBe(true);
    }
  return out;
}
const refused = async (files: Parameters<typeof readCharacter>[0]): Promise<ProblemError> => {
  try {
    await readCharacter(files);
  } catch (error) {
    if (error instanceof ProblemError) return error;
    throw error;
  }
  throw new Error('it was read');
};

describe('morphs as bad as they come', () => {
  it('with another number of vertices are refused with their name', async () => {
    const document = figure([['lift all', up]]),
      short = document.createAccessor().setType('VEC3').setArray(new Float32Array(9));
    first(document).listTargets()[1].setAttribute('POSITION', short);
    const [model, ...beside] = await writeGltfFiles(document, 'a');
    const { message } = await refused([model, ...beside]);
    expect(message).toMatch(/morph|target/i);
    expect(message).toMatch(/3\b/);
  });
  it('with huge movements are read, measured, and come through every step as numbers', async () => {
    const { document } = await read(
      figure([
        ['far', (i) => (i % 3 === 0 ? 1e7 : 0)],
        ['lift all', up],
      ]),
    );
    expect(morphRows(document).find(({ name }) => name === 'far')?.maxMm).toBeCloseTo(1e10, -4);
    expect(listMorphNames(await through(document))).toContain('lift all');
  });
  it('by the thousand are listed, dropped to the limit, and none is lost without a word', async () => {
    const many = Array.from(
        { length: 2000 },
        (_, k) => [`shape ${k}`, (i: number) => (i === k % 300 ? 0.001 + k * 1e-6 : 0)] as const,
      ),
      { document } = await read(figure(many));
    expect(summarise(document, 'Many').morphTargets).toHaveLength(2001);
    const run = await runRecipe(
      { document: async () => document },
      target,
      { schema: 1, steps: [{ id: 'morphs.drop', enabled: true, settings: { toLimit: true } }] } as never,
      { context: testContext() },
    );
    expect(listMorphNames(await run.document())).toHaveLength(target.morphs.max);
    expect(run.steps.find(({ id }) => id === 'morphs.drop')?.findings.length).toBeGreaterThan(0);
  });
  it('with names in other scripts, with none, and with equal ones are told apart and stay so', async () => {
    const names = ['笑顔', 'улыбка', 'ابتسامة', '', 'twin', 'twin', 'a/b:c', '__proto__', 'constructor'],
      { document } = await read(figure(names.map((name, k) => [name, (i) => (i % 3 === 1 ? 0.001 * (k + 1) : 0)]))),
      [part] = listParts(document);
    expect(part.morphNames).toHaveLength(names.length + 1);
    expect(new Set(part.morphNames).size).toBe(names.length + 1);
    for (const name of ['笑顔', 'улыбка', 'ابتسامة', '__proto__', 'constructor'])
      expect(part.morphNames).toContain(name);
    const rows = new Map(morphRows(document).map((row) => [row.name, row.maxMm]));
    expect(rows.get('улыбка')).toBeCloseTo(2, 3);
    expect(rows.get('__proto__')).toBeCloseTo(8, 3);
    const left = listMorphNames(await through(document));
    expect(new Set(left).size).toBe(left.length);
  });
  it('that only change normals shade, and fold and drop as what they are', async () => {
    const document = figure([['lift all', up]]),
      [{ prim, mesh }] = listParts(document),
      count = prim.getAttribute('POSITION')?.getCount() ?? 0;
    prim.addTarget(
      document.createPrimitiveTarget('shade').setAttribute(
        'NORMAL',
        document
          .createAccessor()
          .setType('VEC3')
          .setArray(new Float32Array(count * 3).fill(0.1)),
      ),
    );
    mesh.setExtras({ targetNames: [...morphNamesOf(mesh).slice(0, 2), 'shade'] });
    const { document: came } = await read(document);
    expect(morphRows(came).find(({ name }) => name === 'shade')).toMatchObject({ moves: 0, shadesOnly: true });
    expect(listMorphNames(await through(came)).join()).toMatch(/lift all/);
  });
  it('on a part that has nothing to move are refused or left out with a sentence, and the rest goes on', async () => {
    const document = figure([['lift all', up]]),
      empty = document.createPrimitive().addTarget(document.createPrimitiveTarget('lost')),
      mesh = document
        .createMesh('nothing')
        .addPrimitive(empty)
        .setExtras({ targetNames: ['lost'] });
    document.getRoot().listScenes()[0].addChild(document.createNode('nothing').setMesh(mesh));
    const [model, ...beside] = await writeGltfFiles(document, 'a');
    let told = '';
    try {
      const { document: came, findings } = await readCharacter([model, ...beside]);
      told = findings.map(({ message }) => message).join(' ');
      expect(listMorphNames(came)).toContain('lift all');
      await through(came);
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      told = error.message;
    }
    expect(told).toMatch(/nothing|POSITION|attributes/);
  });
  it('stored sparsely over a base of their own are the sum of both', async () => {
    const document = figure([['lift all', up]]),
      [model, ...beside] = await writeGltfFiles(document, 'a'),
      json = JSON.parse(new TextDecoder().decode(model.bytes)),
      accessor = json.accessors[json.meshes[0].primitives[0].targets[1].POSITION],
      bytes = new Uint8Array(16);
    new DataView(bytes.buffer).setUint32(0, 2, true);
    new DataView(bytes.buffer).setFloat32(4, 0.5, true);
    const uri = `data:application/octet-stream;base64,${Buffer.from(bytes).toString('base64')}`;
    json.buffers.push({ byteLength: 16, uri });
    json.bufferViews.push(
      { buffer: json.buffers.length - 1, byteOffset: 0, byteLength: 4 },
      { buffer: json.buffers.length - 1, byteOffset: 4, byteLength: 12 },
    );
    const base = accessor.bufferView !== undefined && !accessor.sparse;
    if (accessor.sparse) delete accessor.sparse;
    accessor.sparse = {
      count: 1,
      indices: { bufferView: json.bufferViews.length - 2, componentType: 5125 },
      values: { bufferView: json.bufferViews.length - 1 },
    };
    if (!accessor.max) Object.assign(accessor, { min: [0, 0, 0], max: [0.5, 0.01, 0] });
    const { document: came } = await readCharacter([
        { path: model.path, bytes: new TextEncoder().encode(JSON.stringify(json)) },
        ...beside,
      ]),
      delta = floatsOf(first(came).listTargets()[1].getAttribute('POSITION') as never);
    expect([...delta.slice(6, 9)]).toEqual([0.5, 0, 0]);
    expect(delta[1]).toBeCloseTo(base ? 0.01 : 0, 6);
    expect(listMorphNames(await through(came)).length).toBeGreaterThan(0);
  });
});
