import {
  bodyOfSample,
  copyDocument,
  createDeformer,
  dropMorphs,
  fitMorphsStep,
  listMorphNames,
  measureOf,
  type Part,
  parseTarget,
  readGltf,
  SHIPPED_TARGETS,
  type StepDefinition,
  stepById,
  wrapStep,
} from '@dimetra/core';
import { encodePixels, sha256 } from '@dimetra/platform';
import type { Document } from '@gltf-transform/core';
import { beforeAll, describe, expect, it } from 'vitest';
import { makePerson } from './index.ts';
import { context } from './testing/small-cast.ts';

const followStep = stepById('fit.follow') as StepDefinition;
const GONE = ['smile', 'blink', 'jaw_open'];
const [shipped] = SHIPPED_TARGETS;
let source: Document, other: Document, truth: Document, result: Awaited<ReturnType<typeof laid>>;

function movement(document: Document, of: (part: Part) => boolean, name: string): Float32Array {
  const deformer = createDeformer(document, of),
    at = (morphs: Record<string, number>) => deformer.evaluate(new Float32Array(deformer.vertices * 3), morphs),
    rest = at({});
  return at({ [name]: 1 }).map((x, k) => x - rest[k]);
}
const head = ({ kind, name }: Part) => kind === 'skin' && /Head/.test(name);
const rms = (values: Float32Array) => Math.sqrt(values.reduce((sum, x) => sum + x * x, 0) / (values.length / 3)) * 1000;
const off = (a: Float32Array, b: Float32Array) => {
  expect(a.length).toBe(b.length);
  return rms(a.map((x, k) => x - b[k]));
};

/** On the other's polygons, with whose morphs the target says. */
async function laid(morphs: 'source' | 'both') {
  const document = copyDocument(source),
    target = parseTarget({ ...shipped, fit: { body: true, eyes: 'source', morphs } }),
    given = { ...context, character: async () => ({ document: other, name: 'the other' }) },
    { measures } = await wrapStep.run(
      document,
      { body: 'it', detail: 'quick', morphs: 'target', weights: 'figure', sides: 'own' },
      target,
      given,
    );
  await fitMorphsStep.run(document, {}, target, given);
  const follows = followStep.applies(document, target, {});
  if (follows) await followStep.run(document, {}, target, given);
  return { document, follows, added: measureOf(measures, 'figure-morphs')?.result };
}

beforeAll(async () => {
  const made = (id: 'harbour-pilot' | 'rescue-swimmer', figure: 'Tessel' | 'Corvane') =>
    makePerson(id, { size: 'small', encode: encodePixels, figure });
  [source, other, truth] = await Promise.all([
    made('harbour-pilot', 'Tessel'),
    made('rescue-swimmer', 'Corvane'),
    made('harbour-pilot', 'Corvane'),
  ]);
  dropMorphs(source, new Set(GONE));
  result = await laid('both');
});

describe('the figure’s own morphs beside the character’s', () => {
  it('come where it lacks them, adapted to its shape, and leave its own as they were', async () => {
    expect(listMorphNames(source)).not.toContain('smile');
    expect(listMorphNames(result.document)).toEqual(expect.arrayContaining([...GONE, 'brow_up']));
    for (const name of ['smile', 'jaw_open']) {
      const want = movement(truth, head, name),
        got = movement(result.document, head, name),
        plain = movement(other, head, name);
      expect(off(got, want)).toBeLessThan(0.2 * rms(want));
      // Turned and stretched as the face was: nearer than as the other person moves.
      expect(off(got, want)).toBeLessThan(off(plain, want));
    }
    expect(result.added).toBeGreaterThanOrEqual(GONE.length);
  });
  it('take lashes along', () => {
    const lash = ({ kind }: Part) => kind === 'lash',
      moved = rms(movement(result.document, lash, 'blink'));
    expect(result.follows).toBe(true);
    expect(moved).toBeGreaterThan(1);
    expect(rms(movement(source, lash, 'blink'))).toBe(0);
  });
  it('stay away where nobody asks', async () => {
    const alone = await laid('source');
    expect(listMorphNames(alone.document).filter((name) => GONE.includes(name))).toEqual([]);
    expect([alone.follows, alone.added]).toEqual([false, undefined]);
  });
  it('are in a body that is learned, and nothing else that belongs to a person', async () => {
    const { bytes } = await bodyOfSample(other, 'Other', sha256),
      { document } = await readGltf({ path: 'body.glb', bytes: bytes as Uint8Array<ArrayBuffer> }, []);
    expect(listMorphNames(document)).toEqual(expect.arrayContaining(GONE));
    expect(off(movement(document, head, 'smile'), movement(other, head, 'smile'))).toBeLessThan(0.01);
    expect([document.getRoot().listTextures(), document.getRoot().listAnimations()]).toEqual([[], []]);
  });
});
