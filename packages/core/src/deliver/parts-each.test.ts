import { look, placesDrawn } from '@dimetra/eyes';
import { describe, expect, it } from 'vitest';
import { createDeformer, listParts } from '../character/index.ts';
import { contentsApart } from '../check/index.ts';
import { type InputFile, readCharacter, writePng } from '../formats/index.ts';
import { contentsOf, summarise } from '../inspect/index.ts';
import { parseTarget, SHIPPED_TARGETS, type Target } from '../targets/index.ts';
import { testContext } from '../testing/context.ts';
import { figureWithAll } from '../testing/figure-with-all.ts';
import { checkFiles } from './check-files.ts';
import { makeLevels } from './levels/make-levels.ts';
import { joinParts } from './join-parts.ts';
import { judgeDelivery } from './judge.ts';
import { deliveredModels } from './models.ts';
import { partsEach } from './parts-each.ts';
import { prepareForDelivery, sayAgain } from './prepare.ts';

const FORMATS = ['glb', 'gltf', 'usda', 'usdz', 'dae', 'obj'] as const;

/** A figure of three parts on one skeleton, two of them with names that one file name would do for. */
function dressed() {
  const document = figureWithAll(),
    [body] = listParts(document);
  for (const name of ['Coat', 'coat']) {
    const prim = body.prim
      .clone()
      .setMaterial(
        document.createMaterial(`${name} cloth`).setBaseColorTexture(body.material?.getBaseColorTexture() ?? null),
      );
    for (const target of prim.listTargets()) prim.removeTarget(target);
    document
      .getRoot()
      .listScenes()[0]
      .addChild(
        document.createNode(name).setSkin(body.node.getSkin()).setMesh(document.createMesh(name).addPrimitive(prim)),
      );
  }
  return document;
}
async function delivered(format: Target['package']['format'], document = dressed()) {
  const target = parseTarget({
      ...SHIPPED_TARGETS[0],
      package: { ...SHIPPED_TARGETS[0].package, format, parts: 'each' },
    }),
    nearest = await prepareForDelivery(document, target, 'stoker', testContext()),
    out = await deliveredModels(nearest, [], target, 'stoker', 1.75);
  sayAgain(nearest);
  return { ...out, document, target, summary: summarise(document, 'stoker', { seen: false }) };
}

const broken = async ({ models, document, summary, target }: Awaited<ReturnType<typeof delivered>>) =>
  (await judgeDelivery({ files: models[0].files, models, document, summary, target }, look)).checks
    .filter(({ rule, ok }) => rule.startsWith('delivered.') && !ok)
    .map(({ rule, message }) => `${rule} ${message}`);

describe.each(FORMATS)('parts each in a file of its own, as .%s', (format) => {
  it('are what the report says, one by one and together; another loader finds them', async () => {
    const all = await delivered(format),
      names = all.models.map(({ path }) => path);
    expect(names).toEqual([`stoker_body.${format}`, `stoker_coat.${format}`, `stoker_coat_2.${format}`]);
    expect(await broken(all)).toEqual([]);
    // One that is missing is missed.
    expect((await broken({ ...all, models: all.models.slice(0, 2) })).join()).toMatch(/delivered\.whole.*part “coat”/);
  });
  it('are judged as one figure where they lie together', async () => {
    const all = await delivered(format),
      { checks, summary } = await checkFiles(
        [...all.files, await reportOf(all)],
        { ...all.target, heightCm: { min: 150, max: 200 } },
        look,
      );
    expect(checks.filter(({ rule, ok }) => rule.startsWith('delivered.') && !ok)).toEqual([]);
    expect(summary.parts.map(({ triangles }) => triangles)).toEqual(
      all.summary.parts.map(({ triangles }) => triangles),
    );
    expect(summary.heightCm).toBeCloseTo(all.summary.heightCm, 1);
    await expect(
      checkFiles(
        [...all.files.filter(({ path }) => !path.startsWith('stoker_coat_2')), await reportOf(all)],
        all.target,
        look,
      ),
    ).rejects.toMatchObject({ code: 'check.no-part' });
  });
});

/** What a package says of its models beside them. */
async function reportOf({
  models,
  document,
  summary,
  target,
}: Awaited<ReturnType<typeof delivered>>): Promise<InputFile> {
  const { stated, models: each } = await judgeDelivery(
    { files: models[0].files, models, document, summary, target },
    look,
  );
  return {
    path: 'report.json',
    bytes: new TextEncoder().encode(JSON.stringify({ schema: 1, stated, result: summary, models: each })),
  };
}

it('a skeleton alone has no parts to lie apart, and no levels', async () => {
  const document = figureWithAll();
  for (const node of document.getRoot().listNodes()) node.setMesh(null).setSkin(null);
  const { models, files } = await delivered('glb', document);
  expect(models.map(({ path }) => path)).toEqual(['stoker.glb']);
  expect(files).toHaveLength(1);
  const target = parseTarget({
    ...SHIPPED_TARGETS[0],
    package: { format: 'glb', levels: [{ triangles: 100, fromM: 3 }] },
  });
  expect(await makeLevels(document, target, testContext())).toEqual([]);
});

describe('a figure taken apart', () => {
  it('keeps its whole skeleton in every part, and its clips in the first', () => {
    const whole = dressed(),
      parts = partsEach(whole);
    expect(parts.map(({ document }) => contentsOf(document).joints)).toEqual(
      Array.from({ length: 3 }, () => contentsOf(whole).joints),
    );
    expect(parts.map(({ document }) => document.getRoot().listAnimations().length)).toEqual([1, 0, 0]);
    expect(parts.map(({ document }) => listParts(document).length)).toEqual([1, 1, 1]);
  });
  it('and put together again is the same, in poses too, and drawn by another loader', async () => {
    const { models, document } = await delivered('glb'),
      read = await Promise.all(models.map(async ({ files }) => (await readCharacter(files)).document)),
      joined = joinParts(read),
      pose = (of: typeof document) => {
        const deformer = createDeformer(of);
        return deformer.evaluate(new Float32Array(deformer.vertices * 3));
      };
    expect(contentsApart(contentsOf(document), contentsOf(joined))).toEqual([]);
    for (const of of [document, joined])
      of.getRoot()
        .listNodes()
        .find((node) => node.getName() === 'leftUpperArm')
        ?.setRotation([0, 0, Math.SQRT1_2, Math.SQRT1_2]);
    expect(pose(joined)).toEqual(pose(document));
    const places = await Promise.all(models.map(({ files }) => placesDrawn(files[0], files)));
    expect(places.map(({ length }) => length / 3)).toEqual(listParts(document).map(({ vertices }) => vertices));
  });
  it('holds a map as often as files hold it, and that is what counts', async () => {
    const memory = async (format: 'glb' | 'gltf') => {
        const large = dressed();
        for (const texture of large.getRoot().listTextures())
          texture.setImage(
            writePng({
              width: 512,
              height: 512,
              data: new Uint8Array(4 * 512 * 512).fill(128),
            }) as Uint8Array<ArrayBuffer>,
          );
        const { models, document, summary, target } = await delivered(format, large),
          { checks } = await judgeDelivery({ files: models[0].files, models, document, summary, target }, look);
        return Number(checks.find(({ rule }) => rule === 'textures.memory')?.measured);
      },
      [within, beside] = [await memory('glb'), await memory('gltf')];
    expect(beside).toBeGreaterThan(4);
    // One of four maps is on all three parts.
    expect(within).toBeCloseTo(beside * 1.5, 0);
  });
  it('shares maps that lie beside it, and says so where two files would have one name', async () => {
    const { files } = await delivered('gltf'),
      paths = files.map(({ path }) => path);
    expect(new Set(paths).size).toBe(paths.length);
    expect(paths.filter((path) => path.startsWith('textures/'))).toHaveLength(4);
  });
});
