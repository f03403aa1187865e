import { sharpCodec } from '@dimetra/platform';
import type { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { cameraOf, createScene, Maps, Painter, standardViews } from '../appearance/index.ts';
import { copyDocument, createDeformer, keepOwn, listParts, trianglesOf } from '../character/index.ts';
import { defaultRecipe, runRecipe } from '../recipe/index.ts';
import { parseTarget, SHIPPED_TARGETS } from '../targets/index.ts';
import { addPart } from '../testing/add-part.ts';
import { testContext } from '../testing/context.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { bestWay, drawHairWays } from './hair-ways.ts';
import { addSoftEdges, markCore, withoutEdge } from './second-pass.ts';
import { materialsStep } from './transparency-step.ts';

const images = sharpCodec,
  context = { ...testContext(), images };

/** A figure with a tuft of crossed cards on its head, whose map is solid in the middle and fades to both sides. */
async function tufted(): Promise<Document> {
  const document = stickFigure(),
    size = 64,
    data = new Uint8Array(size * size * 4);
  for (let y = 0; y < size; y++)
    for (let x = 0; x < size; x++) {
      const i = (y * size + x) * 4,
        soft = 1 - Math.abs((2 * (x + 0.5)) / size - 1);
      // Bright and dark strands, so that it shows which card lies in front.
      data.set([(y >> 3) % 2 ? 220 : 40, 120, (x >> 4) % 2 ? 30 : 160, Math.round(255 * Math.min(1, soft * 1.8))], i);
    }
  if (!images.encode) throw new Error('there is a codec');
  const map = document
      .createTexture('hair')
      .setMimeType('image/png')
      .setImage(await images.encode({ width: size, height: size, data })),
    positions: number[] = [],
    uv: number[] = [],
    indices: number[] = [];
  const top = Math.max(
    ...listParts(document).map(({ prim }) => prim.getAttribute('POSITION')?.getMax([0, 0, 0])[1] ?? 0),
  );
  for (let card = 0; card < 60; card++) {
    const a = card * 2.399963,
      [x, z] = [Math.cos(a), Math.sin(a)],
      out = 0.02 + 0.06 * ((card * 7) % 10) * 0.1,
      first = positions.length / 3;
    for (const [side, up] of [
      [-1, 0],
      [1, 0],
      [1, 1],
      [-1, 1],
    ])
      positions.push(x * out - z * 0.03 * side, top - 0.16 + up * 0.18, z * out + x * 0.03 * side);
    uv.push(0, 1, 1, 1, 1, 0, 0, 0);
    indices.push(first, first + 1, first + 2, first, first + 2, first + 3);
  }
  const vec = (type: 'VEC2' | 'VEC3', values: number[]) =>
    document.createAccessor().setType(type).setArray(Float32Array.from(values));
  const hair = document
    .createPrimitive()
    .setAttribute('POSITION', vec('VEC3', positions))
    .setAttribute('TEXCOORD_0', vec('VEC2', uv))
    .setIndices(document.createAccessor().setType('SCALAR').setArray(Uint16Array.from(indices)))
    .setMaterial(document.createMaterial('Hair').setBaseColorTexture(map).setAlphaMode('BLEND').setDoubleSided(true));
  document
    .getRoot()
    .listScenes()[0]
    .addChild(document.createNode('Hair').setMesh(document.createMesh('Strands').addPrimitive(hair)));
  return document;
}
const hairOf = (document: Document) => listParts(document).filter(({ kind }) => kind === 'hair');
const material = (document: Document) => {
  const found = hairOf(document)[0].material;
  if (!found) throw new Error('hair wears one');
  return found;
};
async function pictureOf(document: Document, way: 'meant' | 'drawn') {
  const scene = await createScene(createDeformer(document), new Maps(images)),
    painter = new Painter(96),
    picture = painter.picture(scene),
    view = standardViews(scene, () => null, 0.5).find(({ name }) => name === 'hair, behind');
  if (!view) throw new Error('hair is looked at');
  painter.draw(scene, cameraOf(view), { [way]: picture });
  return picture;
}

describe('hair in two passes', () => {
  it('shares vertices and map, means what blended hair means, and is drawn more like it', async () => {
    const blended = await tufted(),
      twice = copyDocument(blended);
    markCore(material(twice));
    expect(withoutEdge(twice)).toHaveLength(1);
    expect(addSoftEdges(twice)).toEqual(['Hair']);
    expect(addSoftEdges(twice)).toEqual([]);
    const [core, edge] = hairOf(twice);
    expect([core.material?.getAlphaMode(), edge.material?.getAlphaMode()]).toEqual(['MASK', 'BLEND']);
    for (const semantic of core.prim.listSemantics())
      expect(edge.prim.getAttribute(semantic)).toBe(core.prim.getAttribute(semantic));
    expect(edge.material?.getBaseColorTexture()).toBe(core.material?.getBaseColorTexture());
    expect([...trianglesOf(edge.prim)]).toEqual([...trianglesOf(core.prim)]);
    const [meant, also] = [await pictureOf(blended, 'meant'), await pictureOf(twice, 'meant')];
    expect(meant.alpha.some((alpha) => alpha > 0.02 && alpha < 0.98)).toBe(true);
    expect(also.color).toEqual(meant.color);
    expect(also.alpha).toEqual(meant.alpha);
    // Where a usual engine draws it, the picture is nearer to what is meant than that of blended hair is.
    const off = (picture: typeof meant) => picture.color.reduce((sum, x, i) => sum + Math.abs(x - meant.color[i]), 0);
    expect(off(await pictureOf(twice, 'drawn'))).toBeLessThan(0.5 * off(await pictureOf(blended, 'drawn')));
  });

  it('is chosen where it clearly loses less, and not for nothing', async () => {
    const document = await tufted(),
      drawn = await drawHairWays(document, [material(document)], ['BLEND', 'MASK', 'PASSES'], new Map(), {
        images,
        nearestM: 0.5,
      }),
      [blend, , passes] = drawn.map(({ loss }) => loss);
    expect(passes).toBeLessThan(0.75 * blend);
    expect(bestWay(drawn).way).toBe('PASSES');
    expect(bestWay([drawn[2], drawn[0]]).way).toBe('PASSES');
    expect(
      bestWay([
        { way: 'BLEND', loss: 0.1 },
        { way: 'PASSES', loss: 0.08 },
      ]).way,
    ).toBe('BLEND');
    expect(
      bestWay([
        { way: 'BLEND', loss: 0.015 },
        { way: 'PASSES', loss: 0 },
      ]).way,
    ).toBe('BLEND');
    // The document itself was not touched.
    expect(material(document).getAlphaMode()).toBe('BLEND');
    expect(hairOf(document)).toHaveLength(1);
  });

  it('counts twice in the budget, is thought of where there is room, and can be asked for by hand', async () => {
    const document = await tufted(),
      triangles = listParts(document).reduce((sum, part) => sum + part.triangles, 0),
      run = async (max: number, alphaModes: Record<string, 'PASSES' | 'BLEND'> = {}) => {
        const target = parseTarget({
            ...SHIPPED_TARGETS[0],
            triangles: { max },
            joints: { keep: 'all', names: 'source' },
          }),
          recipe = {
            ...defaultRecipe(),
            steps: defaultRecipe().steps.map((step) =>
              step.id === 'materials.transparency' ? { ...step, settings: { alphaModes } } : step,
            ),
          };
        const done = await runRecipe({ document: async () => document }, target, recipe, { context });
        return { parts: listParts(await done.document()), findings: done.steps.flatMap((step) => step.findings) };
      };
    const hair = (parts: ReturnType<typeof listParts>) => parts.filter(({ kind }) => kind === 'hair');
    const roomy = await run(triangles + 200);
    expect(hair(roomy.parts).map((part) => part.material?.getAlphaMode())).toEqual(['MASK', 'BLEND']);
    expect(roomy.findings.filter(({ code }) => code === 'materials.hair-way').at(-1)?.message).toMatch(/two passes/);
    const tight = await run(triangles - 20);
    expect(hair(tight.parts)).toHaveLength(1);
    const asked = await run(triangles - 20, { Hair: 'PASSES' });
    expect(hair(asked.parts)).toHaveLength(2);
    expect(asked.parts.reduce((sum, part) => sum + part.triangles, 0)).toBeLessThanOrEqual(triangles - 20);
    const sorted = (part: ReturnType<typeof listParts>[number]) =>
      Array.from({ length: part.triangles }, (_, t) =>
        [...trianglesOf(part.prim).subarray(t * 3, t * 3 + 3)].join(' '),
      ).sort();
    expect(sorted(hair(asked.parts)[0])).toEqual(sorted(hair(asked.parts)[1]));
    expect(hair((await run(triangles + 200, { Hair: 'BLEND' })).parts)).toHaveLength(1);
  });

  it('leaves a scalp its soft edge where the hair over it is cut out, and takes it where that is blended too', async () => {
    const target = SHIPPED_TARGETS.find(({ materials }) => materials.hair === 'mask' && materials.blendAllowed);
    if (!target) throw new Error('one of them cuts hair out');
    const scalpAfter = async (alphaModes: Record<string, 'PASSES' | 'BLEND'>) => {
      const document = await tufted(),
        cap = addPart(document, 'Scalp', 'Scalp', {
          positions: [-0.05, 1.8, 0, 0.05, 1.8, 0, 0, 1.8, 0.05],
          indices: [0, 2, 1],
        });
      cap
        .setAttribute(
          'TEXCOORD_0',
          document
            .createAccessor()
            .setType('VEC2')
            .setArray(Float32Array.from([0, 0, 1, 0, 0, 1])),
        )
        .getMaterial()
        ?.setBaseColorTexture(material(document).getBaseColorTexture())
        .setAlphaMode('BLEND');
      await materialsStep.run(document, { alphaModes, doubleSided: {} }, parseTarget(target), context);
      if (alphaModes.Hair === 'PASSES') addSoftEdges(document);
      return cap.getMaterial()?.getAlphaMode();
    };
    expect(await scalpAfter({})).toBe('BLEND');
    expect(await scalpAfter({ Hair: 'BLEND' })).toBe('MASK');
    expect(await scalpAfter({ Hair: 'PASSES' })).toBe('MASK');
    expect(await scalpAfter({ Hair: 'BLEND', Scalp: 'BLEND' })).toBe('BLEND');
  });

  it('has no edge twice, nor one that its material doesn’t ask for', async () => {
    const document = await tufted();
    expect(withoutEdge(document)).toEqual([]);
    markCore(material(document));
    keepOwn(material(document), 'passes', undefined);
    expect(addSoftEdges(document)).toEqual([]);
  });
});
