import { look, placesDrawn } from '@dimetra/eyes';
import type { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { floatsOf, listMorphNames, listParts } from '../../character/index.ts';
import { contentsApart } from '../../check/index.ts';
import { type InputFile, readCharacter } from '../../formats/index.ts';
import { contentsOf, summarise } from '../../inspect/index.ts';
import { type Compression, parseTarget, SHIPPED_TARGETS, type Target } from '../../targets/index.ts';
import { testContext } from '../../testing/context.ts';
import { figureWithAll } from '../../testing/figure-with-all.ts';
import { judgeDelivery } from '../judge.ts';
import { deliveredModels } from '../models.ts';
import { prepareForDelivery, sayAgain } from '../prepare.ts';
import { makeLevels } from './make-levels.ts';
import { measureLevels } from './measure-levels.ts';

const LEVELS = [
  { triangles: 700, fromM: 3 },
  { triangles: 300, fromM: 9, morphs: false },
];
const targetWith = (given: Partial<Target['package']>): Target =>
  parseTarget({
    ...SHIPPED_TARGETS[0],
    package: { ...SHIPPED_TARGETS[0].package, levels: LEVELS, ...given },
  });

async function delivered(given: Partial<Target['package']> = {}) {
  const target = targetWith(given),
    document = figureWithAll(),
    context = testContext(),
    made = await makeLevels(document, target, context),
    nearest = await prepareForDelivery(document, target, 'stoker', context),
    further = [];
  for (const { n, level, document: own } of made)
    further.push({ n, level, prepared: await prepareForDelivery(own, target, 'stoker', context) });
  const out = await deliveredModels(nearest, further, target, 'stoker', 1.75);
  sayAgain(nearest);
  return { ...out, document, made, target };
}
const judge = async ({ models, document, target }: Awaited<ReturnType<typeof delivered>>) =>
  (
    await judgeDelivery(
      { files: models[0].files, models, document, summary: summarise(document, 'stoker', { seen: false }), target },
      look,
    )
  ).checks.filter(({ rule, ok }) => rule.startsWith('delivered.') && !ok);
const pathsOf = (files: readonly InputFile[]) => files.map(({ path }) => path).filter((path) => !/textures/.test(path));
const jsonOf = ({ bytes }: InputFile) =>
  JSON.parse(
    new TextDecoder().decode(bytes.subarray(20, 20 + new DataView(bytes.buffer, bytes.byteOffset).getUint32(12, true))),
  );
/** The same .glb with other JSON, its numbers as they are. */
function withJson({ path, bytes }: InputFile, change: (json: ReturnType<typeof jsonOf>) => void): InputFile {
  const json = jsonOf({ path, bytes }),
    length = new DataView(bytes.buffer, bytes.byteOffset).getUint32(12, true);
  change(json);
  const text = new TextEncoder().encode(JSON.stringify(json)),
    padded = (text.length + 3) & ~3,
    out = new Uint8Array(20 + padded + bytes.length - 20 - length).fill(0x20, 20, 20 + padded);
  out.set(bytes.subarray(0, 20));
  out.set(text, 20);
  out.set(bytes.subarray(20 + length), 20 + padded);
  new DataView(out.buffer).setUint32(8, out.length, true);
  new DataView(out.buffer).setUint32(12, padded, true);
  return { path, bytes: out };
}
const placesIn = (document: Document) =>
  listParts(document).map(({ prim }) => floatsOf(prim.getAttribute('POSITION') as never));
const trianglesOf = (document: Document) => listParts(document).reduce((sum, part) => sum + part.triangles, 0);

describe('levels of detail', () => {
  it('are as small as asked for, without morphs where faces stay still, and leave the nearest as it was', async () => {
    const document = figureWithAll(),
      before = listParts(document).map(({ prim }) => floatsOf(prim.getAttribute('POSITION') as never).slice()),
      made = await makeLevels(document, targetWith({}), testContext());
    expect(made.map(({ document: own }) => trianglesOf(own) <= 700)).toEqual([true, true]);
    expect(trianglesOf(made[1].document)).toBeLessThanOrEqual(300);
    expect(listMorphNames(made[0].document)).toEqual(listMorphNames(document));
    expect(listMorphNames(made[1].document)).toEqual([]);
    expect(listParts(document).map(({ prim }) => floatsOf(prim.getAttribute('POSITION') as never))).toEqual(before);
    const rows = await measureLevels(document, made, targetWith({}), testContext(), { appearance: false });
    expect(rows.map(({ n, fromM, morphs }) => [n, fromM, morphs > 0])).toEqual([
      [1, 3, true],
      [2, 9, false],
    ]);
    // A coarser one is further off, and both are near.
    expect(rows[1].restRmsMm).toBeGreaterThan(rows[0].restRmsMm);
    expect(rows[1].restRmsMm).toBeLessThan(20);
  });

  it('lie each in a file of its own, which another loader finds as it was made', async () => {
    const all = await delivered();
    expect(pathsOf(all.files)).toEqual(['stoker.glb', 'stoker_lod1.glb', 'stoker_lod2.glb']);
    expect(await judge(all)).toEqual([]);
    // Two files exchanged are found out.
    const [a, b, c] = all.models;
    const swapped = [a, { ...b, files: c.files }, { ...c, files: b.files }];
    expect((await judge({ ...all, models: swapped })).map(({ rule }) => rule)).toEqual(
      expect.arrayContaining(['delivered.contents', 'delivered.morphs']),
    );
  });

  it.each(['none', 'quantised', 'meshopt', 'draco'] as Compression[])(
    'lie in one file, stored %s: who doesn’t know of them sees the nearest',
    async (compression) => {
      const all = await delivered({ levelsIn: 'one', compression }),
        [file] = all.files,
        json = jsonOf(file);
      expect(pathsOf(all.files)).toEqual(['stoker.glb']);
      const apart = await delivered({ compression });
      expect(await judge(all)).toEqual([]);
      // Drawn by the other loader: each level as it is in a file of its own, vertex by vertex.
      for (const level of [0, 1, 2]) {
        const here = await placesDrawn(file, all.files, { level }),
          there = await placesDrawn(apart.models[level].files[0], apart.models[level].files);
        expect(here.length).toBe(there.length);
        expect(Math.max(...here.map((x, i) => Math.abs(x - there[i])))).toBeLessThan(
          compression === 'none' ? 1e-9 : 1e-4,
        );
      }
      const carriers = json.nodes.filter(
          (node: { extensions?: object }) => node.extensions && 'MSFT_lod' in node.extensions,
        ),
        shares = carriers[0].extras.MSFT_screencoverage;
      expect(carriers.length).toBe(listParts(all.document).length);
      // 1.75 m takes this much of 50° at 3 m and at 9 m.
      expect(shares[0]).toBeCloseTo(1.75 / (6 * Math.tan((25 * Math.PI) / 180)), 3);
      expect(shares[1]).toBeCloseTo(1.75 / (18 * Math.tan((25 * Math.PI) / 180)), 3);
      expect(shares[2]).toBe(0);
      expect(json.extensionsRequired ?? []).not.toContain('MSFT_lod');
    },
  );

  it.each(['usda', 'usdz'] as const)(
    'lie in one .%s as variants: who doesn’t know of them sees the nearest',
    async (format) => {
      const all = await delivered({ format, levelsIn: 'one' }),
        apart = await delivered({ format });
      expect(pathsOf(all.files)).toEqual([`stoker.${format}`]);
      expect(await judge(all)).toEqual([]);
      for (const level of [0, 1, 2]) {
        // By the other loader, and by ours: each level as it is in a file of its own.
        const here = await look(all.files[0], all.files, { level }),
          there = await look(apart.models[level].files[0], apart.models[level].files);
        expect([here.refused, here.sizeMm, here.morphs, here.joints]).toEqual([
          undefined,
          there.sizeMm,
          there.morphs,
          there.joints,
        ]);
        const read = async (files: readonly InputFile[], wanted?: { level: number }) =>
            (await readCharacter(files, undefined, { main: files[0].path, ...wanted })).document,
          [own, other] = [await read(all.files, { level }), await read(apart.models[level].files)];
        expect(trianglesOf(own)).toBe(trianglesOf(other));
        expect(placesIn(own)).toEqual(placesIn(other));
      }
      // Exchanged they are found out.
      const [a, b, c] = all.models,
        swapped = [a, { ...b, document: c.document }, { ...c, document: b.document }];
      expect((await judge({ ...all, models: swapped })).map(({ rule }) => rule)).toContain('delivered.contents');
    },
  );

  it('that name the wrong stand-in, or one too few, are found out', async () => {
    const all = await delivered({ levelsIn: 'one' }),
      [file] = all.files,
      spoilt = async (change: (ids: number[], nodes: object[]) => number[]) => {
        const bad = withJson(file, (json) => {
          for (const node of json.nodes)
            if (node.extensions?.MSFT_lod)
              node.extensions.MSFT_lod.ids = change(node.extensions.MSFT_lod.ids, json.nodes);
        });
        return (await judge({ ...all, models: all.models.map((model) => ({ ...model, files: [bad] })) })).map(
          ({ rule, message }) => `${rule} ${message}`,
        );
      };
    expect((await spoilt((ids) => [...ids].reverse())).join()).toMatch(/delivered\.contents .*level [12]/);
    expect((await spoilt(([first]) => [first])).join()).toMatch(/delivered\.contents .*level 2/);
  });

  it('come back by our reader: the nearest by itself, another when it is asked for', async () => {
    const all = await delivered({ levelsIn: 'one' }),
      nearest = await readCharacter(all.files),
      second = await readCharacter(all.files, undefined, { level: 2 });
    expect(nearest.findings.map(({ code }) => code)).toContain('gltf.levels');
    expect(contentsApart(contentsOf(all.document), contentsOf(nearest.document))).toEqual([]);
    expect(trianglesOf(second.document)).toBe(trianglesOf(all.made[1].document));
    expect(second.document.getRoot().listNodes()).toHaveLength(nearest.document.getRoot().listNodes().length);
  });

  it('that point at joints, at themselves or at nothing do no harm', async () => {
    const all = await delivered({ levelsIn: 'one' }),
      whole = contentsOf(all.document);
    for (const ids of [[0, 1, 2], [-1, 1e9, 0.5], ['a', null], 'no list', {}]) {
      const { document } = await readCharacter([
        withJson(all.files[0], (json) => {
          json.nodes.forEach((node: { extensions?: Record<string, object> }, i: number) => {
            if (node.extensions?.MSFT_lod) node.extensions.MSFT_lod = { ids: Array.isArray(ids) ? [i, ...ids] : ids };
          });
        }),
      ]);
      expect(contentsOf(document).joints).toEqual(whole.joints);
      expect(contentsOf(document).parts.length).toBeGreaterThanOrEqual(whole.parts.length);
    }
  });

  it('are made again to the same byte', async () => {
    const [one, other] = [await delivered({ levelsIn: 'one' }), await delivered({ levelsIn: 'one' })];
    expect(one.files[0].bytes).toEqual(other.files[0].bytes);
  });
});
