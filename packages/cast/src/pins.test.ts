import {
  copyDocument,
  createDeformer,
  fitMapsStep,
  fitMorphsStep,
  floatsOf,
  listParts,
  measureOf,
  type Part,
  type PlaceOn,
  pinsStep,
  SHIPPED_TARGETS,
  TriangleTree,
  wrapStep,
} from '@dimetra/core';
import { encodePixels } from '@dimetra/platform';
import type { Document } from '@gltf-transform/core';
import { beforeAll, describe, expect, it } from 'vitest';
import { makePerson } from './index.ts';
import { context } from './testing/small-cast.ts';

const [target] = SHIPPED_TARGETS;
let source: Document, wrapped: Document, truth: Document, offBefore: number;

const HEAD = (part: Part) => part.kind === 'skin' && part.name.includes('Head');
function head(document: Document): { places: Float32Array; uv: Float32Array; part: Part; indices: Uint32Array } {
  const deformer = createDeformer(document, HEAD, false),
    [{ part }] = deformer.ranges,
    uv = part.prim.getAttribute('TEXCOORD_0');
  return {
    places: deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    uv: floatsOf(uv as NonNullable<typeof uv>),
    part,
    indices: deformer.indices,
  };
}
const vertex = (values: Float32Array, v: number, wide: number) => [...values.subarray(v * wide, v * wide + wide)];
const apart = (a: Float32Array, b: Float32Array, v: number) =>
  Math.hypot(...[0, 1, 2].map((k) => a[v * 3 + k] - b[v * 3 + k])) * 1000;
/** A vertex of the new skin as a pin names it. */
const onNew = (v: number): PlaceOn => {
  const { places, uv, part } = head(wrapped);
  return { part: part.id, uv: vertex(uv, v, 2) as [number, number], at: vertex(places, v, 3) as PlaceOn['at'] };
};
/** The place of the old skin that is nearest to a point, as a pin names it. */
function onOld(at: readonly number[]): PlaceOn {
  const { places, uv, part, indices } = head(source),
    tree = new TriangleTree(places, indices);
  tree.closest(at[0], at[1], at[2]);
  const { triangle, v, w } = tree.hit,
    corners = [...indices.subarray(triangle * 3, triangle * 3 + 3)],
    mixed = (values: Float32Array, wide: number) =>
      Array.from({ length: wide }, (_, k) =>
        [1 - v - w, v, w].reduce((sum, share, c) => sum + share * values[corners[c] * wide + k], 0),
      );
  return { part: part.id, uv: mixed(uv, 2) as [number, number], at: mixed(places, 3) as PlaceOn['at'] };
}
async function pinned(settings: Parameters<typeof pinsStep.run>[1]) {
  const document = copyDocument(wrapped);
  expect(pinsStep.applies(document, target, settings)).toBe(true);
  return { document, ...(await pinsStep.run(document, settings, target, context)) };
}
/** The foremost vertex of the face, and those around it. */
function nose(places: Float32Array): number {
  let best = 0;
  for (let v = 0; v * 3 < places.length; v++) if (places[v * 3 + 2] > places[best * 3 + 2]) best = v;
  return best;
}

beforeAll(async () => {
  const made = (id: 'harbour-pilot' | 'rescue-swimmer', figure: 'Tessel' | 'Corvane') =>
    makePerson(id, { size: 'small', encode: encodePixels, figure });
  const [own, other, drawn] = await Promise.all([
    made('harbour-pilot', 'Tessel'),
    made('rescue-swimmer', 'Corvane'),
    made('harbour-pilot', 'Corvane'),
  ]);
  source = own;
  truth = drawn;
  wrapped = copyDocument(own);
  const { measures } = await wrapStep.run(
    wrapped,
    { body: 'it', detail: 'quick', morphs: 'target', weights: 'nearer', sides: 'own' },
    target,
    {
      ...context,
      character: async () => ({ document: other, name: 'the other' }),
    },
  );
  offBefore = Number(measureOf(measures, 'off-the-surface')?.result);
});

describe('pins', () => {
  it('draw a place to where it belongs and keep the rest on the old surface, where it was', async () => {
    const { places } = head(wrapped),
      v = nose(places),
      goal = onOld(places.subarray(v * 3, v * 3 + 3).map((x, k) => x + [0.006, 0.004, 0][k]) as never),
      { document, measures } = await pinned({ pins: [{ of: [onNew(v)], to: [goal], around: 40 }], leave: [] }),
      now = head(document).places;
    expect(Math.hypot(...goal.at.map((x, k) => x - places[v * 3 + k]))).toBeGreaterThan(0.005);
    expect(Math.hypot(...goal.at.map((x, k) => x - now[v * 3 + k])) * 1000).toBeLessThan(0.6);
    expect(measureOf(measures, 'off-the-pins')?.result).toBeLessThan(0.6);
    expect(measureOf(measures, 'off-the-surface')?.result).toBeLessThan(offBefore + 0.15);
    const back = [...Array(places.length / 3).keys()].filter((p) => places[p * 3 + 2] < places[v * 3 + 2] - 0.12);
    expect(back.length).toBeGreaterThan(50);
    for (const p of back) expect(apart(places, now, p)).toBeLessThan(1e-3);
    // The neighbours came along: no edge beside it is torn.
    const beside = [...Array(places.length / 3).keys()]
      .filter((p) => apart(places, places, p) === 0 && p !== v)
      .map((p) => [p, Math.hypot(...[0, 1, 2].map((k) => places[p * 3 + k] - places[v * 3 + k]))] as const)
      .filter(([, d]) => d > 0 && d < 0.02);
    for (const [p, d] of beside) {
      const after = Math.hypot(...[0, 1, 2].map((k) => now[p * 3 + k] - now[v * 3 + k]));
      expect(after / d).toBeGreaterThan(0.4);
      expect(after / d).toBeLessThan(2);
    }
  });
  it('put right what slid, by places that are known, and maps and morphs follow', async () => {
    const { places } = head(wrapped),
      should = head(truth).places,
      old = head(source),
      tree = new TriangleTree(old.places, old.indices),
      // Where the old skin's few polygons run beside the truth, a pin on them can't put it right.
      isThere = (v: number) => tree.closest(should[v * 3], should[v * 3 + 1], should[v * 3 + 2]) < 5e-4,
      eyeballs = createDeformer(truth, ({ kind }) => kind === 'eye', false),
      balls = new TriangleTree(eyeballs.evaluate(new Float32Array(eyeballs.vertices * 3)), eyeballs.indices),
      // So do rims of lids, which are narrower than they slid.
      isAtEye = (v: number) => balls.closest(should[v * 3], should[v * 3 + 1], should[v * 3 + 2]) < 0.012,
      face = [...Array(places.length / 3).keys()].filter(
        (v) =>
          should[v * 3 + 2] > should[nose(should) * 3 + 2] - 0.07 &&
          // Lips lie on each other: pinned apart by the truth's own noise their walls turn over, which is told.
          should[v * 3 + 1] > should[nose(should) * 3 + 1] - 0.02 &&
          apart(places, should, v) < 12 &&
          isThere(v) &&
          !isAtEye(v),
      ),
      rms = (now: Float32Array, of: readonly number[]) =>
        Math.sqrt(of.reduce((sum, v) => sum + apart(now, should, v) ** 2, 0) / of.length),
      worst: number[] = [];
    for (const v of [...face].sort((a, b) => apart(places, should, b) - apart(places, should, a)))
      if (
        worst.length < 12 &&
        worst.every(
          (one) =>
            apart(
              should,
              should.map((_, i) => should[v * 3 + (i % 3)]),
              one,
            ) > 8,
        )
      )
        worst.push(v);
    const { document, findings } = await pinned({
        pins: worst.map((v) => ({ of: [onNew(v)], to: [onOld(vertex(should, v, 3))] })),
        leave: [],
      }),
      now = head(document).places;
    expect(findings).toEqual([]);
    expect(worst).toHaveLength(12);
    expect(rms(now, worst)).toBeLessThan(rms(places, worst) * 0.7);
    expect(rms(now, face)).toBeLessThan(rms(places, face));
    await fitMorphsStep.run(document, {}, target, context);
    await fitMapsStep.run(document, { size: '512' }, target, context);
    for (const { prim } of listParts(document))
      expect(prim.listSemantics().filter((one) => /^_(FROM|OWN)/.test(one))).toEqual([]);
  });
  it('take a curve along: every point of it lies on the line that was shown, end on end', async () => {
    const { places } = head(wrapped),
      v = nose(places),
      brow = (x: number) => {
        let best = 0,
          far = Infinity;
        for (let p = 0; p * 3 < places.length; p++) {
          const d = Math.hypot(
            places[p * 3] - x,
            places[p * 3 + 1] - places[v * 3 + 1] - 0.055,
            places[p * 3 + 2] - places[v * 3 + 2] + 0.02,
          );
          if (d < far) [best, far] = [p, d];
        }
        return best;
      },
      of = [0.015, 0.03, 0.042].map(brow),
      to = of.map((p) => onOld([places[p * 3], places[p * 3 + 1] + 0.004, places[p * 3 + 2]])),
      { document, measures } = await pinned({ pins: [{ of: of.map(onNew), to, around: 30 }], leave: [] }),
      now = head(document).places;
    expect(measureOf(measures, 'off-the-pins')?.source).toBeGreaterThan(2);
    expect(measureOf(measures, 'faces-turned')?.result).toBe(0);
    expect(measureOf(measures, 'off-the-pins')?.result).toBeLessThan(0.8);
    for (const p of [of[0], of[2]]) expect((now[p * 3 + 1] - places[p * 3 + 1]) * 1000).toBeGreaterThan(2.5);
  });
  it('leave a region the shape that the other figure has by itself', async () => {
    const { places, part } = head(wrapped),
      own = floatsOf(part.prim.getAttribute('_OWN_PLACE') as NonNullable<ReturnType<Part['prim']['getAttribute']>>),
      v = nose(places),
      { document } = await pinned({ pins: [], leave: [{ at: onNew(v), around: 25 }] }),
      now = head(document).places,
      near = [...Array(places.length / 3).keys()].filter(
        (p) => p !== v && Math.hypot(...[0, 1, 2].map((k) => places[p * 3 + k] - places[v * 3 + k])) < 0.022,
      ),
      length = (at: Float32Array, p: number) => Math.hypot(...[0, 1, 2].map((k) => at[p * 3 + k] - at[v * 3 + k])),
      unlike = (at: Float32Array) =>
        near.reduce((sum, p) => sum + Math.abs(length(at, p) / length(own, p) - 1), 0) / near.length;
    expect(near.length).toBeGreaterThan(3);
    expect(unlike(now)).toBeLessThan(unlike(places) * 0.6);
    const far = [...Array(places.length / 3).keys()].filter(
      (p) => Math.hypot(...[0, 1, 2].map((k) => places[p * 3 + k] - places[v * 3 + k])) > 0.06,
    );
    for (const p of far) expect(apart(places, now, p)).toBeLessThan(0.001);
  });
  it('say which have no place any more, and hold the others', async () => {
    const v = nose(head(wrapped).places),
      nowhere: PlaceOn = { part: 'gone', at: [9, 9, 9] },
      { findings, measures } = await pinned({
        pins: [
          { of: [nowhere], to: [nowhere] },
          { of: [onNew(v)], to: [onOld(vertex(head(wrapped).places, v, 3))] },
        ],
        leave: [{ at: nowhere, around: 20 }],
      });
    expect(findings.map(({ code, where }) => [code, where])).toEqual([
      ['fit.pin-lost', 'Pin 1'],
      ['fit.pin-lost', 'Region 1'],
    ]);
    expect(measureOf(measures, 'pins-held')).toMatchObject({ source: 2, result: 1 });
    expect(pinsStep.applies(source, target, { pins: [], leave: [] })).toBe(false);
  });
});
