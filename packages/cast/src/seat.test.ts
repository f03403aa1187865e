import {
  ballThrough,
  bodyOfSample,
  copyDocument,
  createDeformer,
  defaultRecipe,
  type Figure,
  floatsOf,
  influencesOf,
  isWorn,
  learnFigure,
  listParts,
  measureOf,
  type Part,
  parseTarget,
  type Pixels,
  runRecipe,
  seatPlaces,
  SHIPPED_TARGETS,
} from '@dimetra/core';
import { encodePixels, sha256, sharpCodec } from '@dimetra/platform';
import { Document } from '@gltf-transform/core';
import { beforeAll, describe, expect, it } from 'vitest';
import { makePerson } from './index.ts';
import { context } from './testing/small-cast.ts';

const INNER = ['eye', 'cornea', 'teeth', 'gums', 'tongue'];
const [shipped] = SHIPPED_TARGETS.filter(({ id }) => id === 'tessel-figure');
let source: Document, sample: Document, result: Document, run: Awaited<ReturnType<typeof runRecipe>>;

const partsOf = (document: Document, kind: string): Part[] => listParts(document).filter((part) => part.kind === kind);
function places(document: Document, kind: string, morphs: Record<string, number> = {}): Float32Array {
  const deformer = createDeformer(document, (part) => part.kind === kind);
  return deformer.evaluate(new Float32Array(deformer.vertices * 3), morphs);
}
const side = (points: Float32Array, left: boolean): number[] => {
  const out: number[] = [];
  for (let o = 0; o < points.length; o += 3) if (points[o] > 0 === left) out.push(...points.subarray(o, o + 3));
  return out;
};
const width = (points: Float32Array): number => {
  const xs = points.filter((_, k) => k % 3 === 0);
  return Math.max(...xs) - Math.min(...xs);
};

/** A figure with eyes a third larger, 6 mm further out and 4 mm back, a wider bite, every map of them mirrored, and names of its own. */
function otherFigure(from: Document): Document {
  const own = copyDocument(from);
  for (const { prim, kind, material } of listParts(own)) {
    if (!INNER.includes(kind)) continue;
    const position = prim.getAttribute('POSITION') as NonNullable<ReturnType<Part['prim']['getAttribute']>>,
      at = floatsOf(position),
      isEye = kind === 'eye' || kind === 'cornea',
      centres = [true, false].map((left) => ballThrough(side(places(from, 'eye'), left))?.at ?? [0, 0, 0]);
    position.setArray(
      at.map((x, i) => {
        const k = i % 3,
          left = at[i - k] > 0,
          c = centres[left ? 0 : 1][k];
        if (isEye) return c + (x - c) * 1.33 + [left ? 0.006 : -0.006, 0, -0.004][k];
        return k === 0 ? x * 1.2 : x;
      }),
    );
    const uv = prim.getAttribute('TEXCOORD_0');
    if (uv) uv.setArray(floatsOf(uv).map((x, k) => (k % 2 ? x : 1 - x)));
    material?.setName(`third_${material.getName()}`);
  }
  return own;
}

async function convertedWith(settings: Record<string, unknown> = {}) {
  const learned = await bodyOfSample(sample, 'Third', sha256),
    figure: Figure = { ...learnFigure(sample, { id: 'third', title: 'Third' }), body: learned.body },
    target = parseTarget({
      ...shipped,
      joints: { ...shipped.joints, figure },
      fit: { body: true, maps: 128, eyes: 'figure' },
    }),
    recipe = defaultRecipe(),
    done = await runRecipe(
      { document: async () => copyDocument(source) },
      target,
      {
        ...recipe,
        steps: recipe.steps.map((step) =>
          step.id === 'fit.seat'
            ? { ...step, settings }
            : step.id === 'fit.wrap'
              ? { ...step, settings: { detail: 'quick' } }
              : step,
        ),
      },
      { context: { ...context, piece: async () => learned.bytes } },
    );
  return { run: done, document: await done.document() };
}

beforeAll(async () => {
  source = await makePerson('rescue-swimmer', { size: 'small', encode: encodePixels, figure: 'Tessel' });
  sample = otherFigure(await makePerson('harbour-pilot', { size: 'small', encode: encodePixels, figure: 'Corvane' }));
  ({ run, document: result } = await convertedWith());
});

describe('eyes and teeth of a figure', () => {
  it('stand where the character’s own stood, as large, with the figure’s polygons, names and joints', () => {
    expect(run.steps.map(({ id }) => id)).toContain('fit.seat');
    for (const left of [true, false]) {
      const [was, is] = [source, result].map((one) => ballThrough(side(places(one, 'eye'), left)));
      // The source is lifted onto the floor by the run, and may be by some of a millimetre.
      expect(Math.hypot(...(is?.at ?? []).map((x, k) => (k === 1 ? 0 : x - (was?.at[k] ?? 9))))).toBeLessThan(2e-4);
      expect((is?.radius ?? 0) / (was?.radius ?? 1)).toBeCloseTo(1, 3);
    }
    expect(width(places(result, 'teeth')) / width(places(source, 'teeth'))).toBeCloseTo(1, 3);
    for (const kind of INNER) {
      const [own, figures] = [result, sample].map((one) =>
        partsOf(one, kind).reduce((sum, part) => sum + part.vertices, 0),
      );
      expect(own).toBe(figures);
      for (const { material } of partsOf(result, kind)) expect(material?.getName()).toMatch(/^third_/);
    }
    const measures = run.steps.find(({ id }) => id === 'fit.seat')?.measures ?? [];
    expect(measureOf(measures, 'eyes-as-large')?.result).toBeLessThan(90);
    for (const part of listParts(result)) {
      const { weights, perVertex } = influencesOf(part.prim) ?? { weights: new Float32Array(0), perVertex: 1 };
      for (let v = 0; v < weights.length; v += perVertex)
        expect(weights.subarray(v, v + perVertex).reduce((sum, w) => sum + w, 0)).toBeCloseTo(1, 4);
    }
  });

  it('look as the character’s own did, though their maps lie the other way round', async () => {
    const iris = async (document: Document) => {
      const [part] = partsOf(document, 'eye'),
        map = await sharpCodec.decode(part.material?.getBaseColorTexture()?.getImage() as Uint8Array),
        at = floatsOf(part.prim.getAttribute('POSITION') as never),
        uv = floatsOf(part.prim.getAttribute('TEXCOORD_0') as never),
        ball = ballThrough(side(places(document, 'eye'), true)) as { at: number[]; radius: number };
      // Colours of the left eye by how far from straight ahead, averaged over rings.
      const rings: { sum: number[]; n: number }[] = Array.from({ length: 6 }, () => ({ sum: [0, 0, 0], n: 0 }));
      for (let v = 0; v < uv.length / 2; v++) {
        if (at[v * 3] <= 0) continue;
        const ahead = (at[v * 3 + 2] - ball.at[2]) / ball.radius;
        if (ahead < 0.4) continue;
        const ring = rings[Math.min(5, Math.floor((1 - ahead) * 10))];
        texel(map, uv[v * 2], uv[v * 2 + 1]).forEach((x, k) => {
          ring.sum[k] += x;
        });
        ring.n++;
      }
      return rings.map(({ sum, n }) => sum.map((x) => x / Math.max(1, n)));
    };
    const [was, is] = [await iris(source), await iris(result)],
      apart = (a: number[][], b: number[][]) =>
        a.reduce((sum, ring, i) => sum + Math.hypot(...ring.map((x, k) => x - b[i][k])), 0) / a.length;
    expect(apart(was, is)).toBeLessThan(25);
    // The pupil is dark, and what is white around it is not: a shifted map would be told.
    const light = (ring: number[]) => ring[0] + ring[1] + ring[2];
    expect(light(is[5]) - light(is[0])).toBeGreaterThan(150);
  });

  it('follow every morph that moved the character’s, and leave nothing of those behind', () => {
    for (const morph of ['gaze_up', 'jaw_open']) {
      const kind = morph === 'jaw_open' ? 'teeth' : 'eye',
        farthest = (document: Document) => {
          const [rest, moved] = [places(document, kind), places(document, kind, { [morph]: 1 })];
          let most = 0;
          for (let o = 0; o < rest.length; o += 3)
            most = Math.max(most, Math.hypot(...[0, 1, 2].map((k) => moved[o + k] - rest[o + k])));
          return most;
        },
        [was, is] = [farthest(source), farthest(result)];
      expect(is).toBeGreaterThan(was * 0.9 - 1e-6);
      expect(is).toBeLessThan(was * 1.1 + 1e-6);
    }
    const root = result.getRoot();
    expect(root.listTextures().filter((texture) => !isWorn(texture))).toEqual([]);
    expect(
      root.listMeshes().filter((mesh) => !mesh.listParents().some((parent) => parent.propertyType === 'Node')),
    ).toEqual([]);
  });

  it('are nudged by hand', async () => {
    const { document } = await convertedWith({ eyesLarger: 1.1, eyesForward: 2 }),
      [plain, nudged] = [result, document].map((one) => ballThrough(side(places(one, 'eye'), true)));
    expect((nudged?.radius ?? 0) / (plain?.radius ?? 1)).toBeCloseTo(1.1, 3);
    expect((nudged?.at[2] ?? 0) - (plain?.at[2] ?? 0)).toBeCloseTo(0.002, 5);
    // What the stage's handles stand on says the same.
    const { eyes, bite } = seatPlaces(document);
    expect(eyes).toHaveLength(2);
    expect(eyes[0].at).toEqual(nudged?.at);
    expect(eyes[1].at[0]).toBeLessThan(0);
    expect(2 * (bite?.half[0] ?? 0)).toBeCloseTo(width(places(document, 'teeth')), 6);
    expect(seatPlaces(new Document())).toEqual({ eyes: [], bite: null });
  });
});

function texel({ width: w, height: h, data }: Pixels, u: number, v: number): number[] {
  const x = Math.min(w - 1, Math.max(0, Math.floor(u * w))),
    y = Math.min(h - 1, Math.max(0, Math.floor(v * h)));
  return [...data.subarray((y * w + x) * 4, (y * w + x) * 4 + 3)];
}
