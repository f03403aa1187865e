import type { Document, Mesh } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import {
  bodyOfSample,
  copyDocument,
  createDeformer,
  defaultRecipe,
  fitMapsStep,
  fitMorphsStep,
  type Figure,
  floatsOf,
  influencesOf,
  isWorn,
  jointRoles,
  learnFigure,
  liesOnBody,
  listParts,
  measureOf,
  type Part,
  parseTarget,
  poseSkeleton,
  type Pixels,
  type ProblemError,
  RANGE_OF_MOTION,
  roleIndex,
  runRecipe,
  SHIPPED_TARGETS,
  type Target,
  toLab,
  withFigure,
  wrapStep,
} from '@dimetra/core';
import { encodePixels, sha256, sharpCodec } from '@dimetra/platform';
import { makePerson, type PersonId } from './index.ts';
import { smallBodies } from './testing/small-bodies.ts';
import { context, useSmallCast } from './testing/small-cast.ts';

const of = useSmallCast();
/** Colours of a part's map. */
async function colorOf(document: Document, name: string): Promise<Pixels> {
  const image = listParts(document)
    .find((part) => part.name === name)
    ?.material?.getBaseColorTexture()
    ?.getImage();
  return sharpCodec.decode(image as Uint8Array);
}
/** ΔE (CIE 1976) between two maps where the second shows something: the mean, and the share of texels beyond 12. */
function differences(a: Pixels, b: Pixels): { mean: number; beyond: number } {
  let sum = 0,
    beyond = 0,
    n = 0;
  for (let i = 0; i < b.data.length; i += 4) {
    if (b.data[i] + b.data[i + 1] + b.data[i + 2] < 20) continue;
    const [p, q] = [a, b].map(({ data }) => toLab([data[i], data[i + 1], data[i + 2]])),
      d = Math.hypot(...p.map((x, k) => x - q[k]));
    sum += d;
    if (d > 12) beyond++;
    n++;
  }
  return { mean: sum / n, beyond: beyond / n };
}
const isSkin = ({ kind }: Part) => kind === 'skin';

async function wanted(id: 'tessel-figure' | 'corvane-figure') {
  const { figures, piece } = await smallBodies(),
    shipped = SHIPPED_TARGETS.find((entry) => entry.id === id) as Target;
  return {
    target: withFigure({ ...shipped, fit: { body: true, maps: 128, eyes: 'source' } }, figures),
    piece,
    figures,
  };
}
const converted = async (source: Document, id: 'tessel-figure' | 'corvane-figure') => {
  const { target, piece } = await wanted(id),
    run = await runRecipe({ document: async () => source }, target, defaultRecipe(), {
      context: { ...context, piece },
    });
  return { document: await run.document(), run };
};
/** The three steps alone, onto the skin of another document that stands in the same pose. */
async function fitted(source: Document, body: Document) {
  const document = copyDocument(source),
    [target] = SHIPPED_TARGETS,
    given = { ...context, character: async () => ({ document: body, name: 'the other' }) },
    { measures } = await wrapStep.run(
      document,
      { body: 'it', detail: 'full', morphs: 'target', weights: 'nearer', sides: 'own' },
      target,
      given,
    );
  await fitMorphsStep.run(document, {}, target, given);
  await fitMapsStep.run(document, { size: 'found' }, target, given);
  return { document, measures };
}

function surface(
  document: Document,
  name: string,
  morph?: string,
  pose?: (typeof RANGE_OF_MOTION)[number],
): Float32Array {
  const deformer = createDeformer(document, (part) => part.name === name),
    { skeleton } = deformer,
    posed = pose && poseSkeleton(skeleton, roleIndex(jointRoles(document, skeleton)), pose);
  return deformer.evaluate(new Float32Array(deformer.vertices * 3), morph ? { [morph]: 1 } : {}, posed);
}
/** Millimetres between vertices of equal number, RMS over those that count. */
function apart(a: Float32Array, b: Float32Array, counts: (v: number) => boolean = () => true): number {
  expect(a.length).toBe(b.length);
  let sum = 0,
    n = 0;
  for (let v = 0; v * 3 < a.length; v++) {
    if (!counts(v)) continue;
    n++;
    for (let k = v * 3; k < v * 3 + 3; k++) sum += (a[k] - b[k]) ** 2;
  }
  return Math.sqrt(sum / n) * 1000;
}
/** Whether a place lies in the box around points, or so near to it. */
function within(points: Float32Array, beside: number): (place: ArrayLike<number>) => boolean {
  const [low, high] = [Math.min, Math.max].map((most) =>
    [0, 1, 2].map((k) => points.filter((_, i) => i % 3 === k).reduce((a, b) => most(a, b))),
  );
  return (place) => low.every((x, k) => place[k] > x - beside && place[k] < high[k] + beside);
}

/** The face: what lies before the middle of the head, from chin to brow. */
const onFace = (head: Float32Array) => {
  let low = Infinity,
    high = -Infinity,
    front = -Infinity;
  for (let k = 0; k < head.length; k += 3) {
    low = Math.min(low, head[k + 1]);
    high = Math.max(high, head[k + 1]);
    front = Math.max(front, head[k + 2]);
  }
  return (v: number) => head[v * 3 + 2] > front - 0.09 && head[v * 3 + 1] > low + 0.45 * (high - low);
};

const known = new Map<string, Promise<Document>>();
function drawn(id: PersonId, figure: 'Tessel' | 'Corvane'): Promise<Document> {
  const key = `${id} ${figure}`,
    found = known.get(key) ?? makePerson(id, { size: 'small', encode: encodePixels, figure });
  known.set(key, found);
  // Everybody gets their own to change.
  return found.then(copyDocument);
}

describe.each([
  ['harbour-pilot', 'Tessel', 'Corvane', 'rescue-swimmer'],
  ['rescue-swimmer', 'Corvane', 'Tessel', 'harbour-pilot'],
] as const)('%s, drawn on %s, on the polygons of %s as %s has them', (id, own, format, other) => {
  it('is where the generator draws this person on them, morphs and colours too', async () => {
    const [source, body, truth] = await Promise.all([drawn(id, own), drawn(other, format), drawn(id, format)]),
      { document, measures } = await fitted(source, body),
      found: Record<string, number> = {};
    for (const name of ['Head', 'Body', 'Hands']) {
      const real = surface(truth, name);
      found[name] = apart(surface(document, name), real);
      if (name === 'Head') found.face = apart(surface(document, name), real, onFace(real));
    }
    const teeth = surface(truth, 'Teeth_Upper'),
      inMouth = within(teeth, 0.008),
      head = surface(truth, 'Head');
    found.mouth = apart(surface(document, 'Head'), head, (v) => inMouth(head.subarray(v * 3, v * 3 + 3)));
    expect(found.mouth).toBeLessThan(0.6);
    for (const morph of ['jaw_open', 'blink', 'smile']) {
      const rest = surface(truth, 'Head'),
        real = surface(truth, 'Head', morph).map((x, k) => x - rest[k]),
        before = surface(document, 'Head'),
        mine = surface(document, 'Head', morph).map((x, k) => x - before[k]);
      found[morph] = apart(mine, real, (v) => Math.hypot(real[v * 3], real[v * 3 + 1], real[v * 3 + 2]) > 1e-4);
    }
    // Bodies and hands are drawn with few polygons here: between them lie centimetres, and so does what is true.
    expect(found.face).toBeLessThan(1.25);
    expect(found.Head).toBeLessThan(1.3);
    expect(found.Hands).toBeLessThan(6);
    expect(found.Body).toBeLessThan(18);
    expect(found.jaw_open).toBeLessThan(2.4);
    expect(found.blink).toBeLessThan(1.9);
    expect(found.smile).toBeLessThan(0.9);
    // Bent, it goes where the generator's own weights take it.
    for (const pose of RANGE_OF_MOTION.filter(({ name }) => /arms forward|reach across|knees/.test(name)))
      for (const name of ['Head', 'Body', 'Hands'])
        expect(apart(surface(document, name, undefined, pose), surface(truth, name, undefined, pose))).toBeLessThan(
          1.3 * found[name] + 4,
        );
    // Lips, eyelids and ears, nine or ten nails, and the end of the neck, which would be twice as far off by the surface alone.
    expect(measureOf(measures, 'curves-matched')?.result).toBeGreaterThanOrEqual(15);
    const low = head.filter((_, k) => k % 3 === 1).reduce((a, b) => Math.min(a, b));
    expect(apart(surface(document, 'Head'), head, (v) => head[v * 3 + 1] < low + 0.02)).toBeLessThan(5);
    // Painted by the generator on these polygons, beside what was carried over, and what would be there without.
    const [mine, real, before] = await Promise.all([document, truth, source].map((one) => colorOf(one, 'Head'))),
      [carried, left] = [mine, before].map((map) => differences(map, real));
    expect(carried.mean).toBeLessThan(4);
    expect(carried.beyond).toBeLessThan(0.09);
    expect(left.beyond).toBeGreaterThan(0.2);
    for (const part of listParts(document).filter(isSkin)) {
      const { weights, perVertex } = influencesOf(part.prim) as NonNullable<ReturnType<typeof influencesOf>>;
      for (let v = 0; v < weights.length; v += perVertex)
        expect(weights.subarray(v, v + perVertex).reduce((sum, w) => sum + w, 0)).toBeCloseTo(1, 4);
    }
    // Nothing of what was replaced stays behind: no material twice, no image that nobody wears, every mesh drawn by a node.
    const named = document
      .getRoot()
      .listMaterials()
      .map((material) => material.getName());
    expect(new Set(named).size).toBe(named.length);
    expect(
      document
        .getRoot()
        .listTextures()
        .filter((texture) => !isWorn(texture))
        .map((texture) => texture.getName()),
    ).toEqual([]);

    const drawnBy = (mesh: Mesh) => mesh.listParents().filter((parent) => parent.propertyType === 'Node').length;
    expect(
      document
        .getRoot()
        .listMeshes()
        .flatMap((mesh) => (drawnBy(mesh) ? [] : [mesh.getName()])),
    ).toEqual([]);
  });
});

it('there and back a face and its colours are what they were', async () => {
  const [source, other] = await Promise.all([drawn('harbour-pilot', 'Tessel'), drawn('rescue-swimmer', 'Corvane')]),
    there = await fitted(source, other),
    back = await fitted(there.document, await drawn('rescue-swimmer', 'Tessel')),
    head = surface(source, 'Head');
  expect(apart(surface(back.document, 'Head'), head, onFace(head))).toBeLessThan(1.5);
  const [was, is] = await Promise.all([source, back.document].map((one) => colorOf(one, 'Head')));
  // Twice drawn anew at 128 texels, where a texel is as wide as an eyebrow; at 2048 it is under 1.
  expect(differences(is, was).mean).toBeLessThan(3.5);
});

describe('a target that asks for a figure’s skin', () => {
  it('gets it, on the figure’s joints, and rules hold as without', async () => {
    const { document, run } = await converted(of('harbour-pilot').read.document, 'corvane-figure'),
      { figures } = await wanted('corvane-figure'),
      asked = figures.find(({ id }) => id === 'corvane')?.body as NonNullable<Figure['body']>;
    expect(run.steps.map(({ id }) => id)).toEqual(expect.arrayContaining(['fit.wrap', 'fit.morphs', 'fit.maps']));
    expect(run.steps.flatMap(({ findings }) => findings).filter(({ code }) => code === 'fit.joints-missing')).toEqual(
      [],
    );
    expect(liesOnBody(document, asked)).toBe(true);
    // The eyes lie in the sockets as they did: this target asks for the character's own.
    expect(run.steps.map(({ id }) => id)).not.toContain('fit.seat');
    expect(listParts(document).map(({ name }) => name)).toEqual(
      expect.arrayContaining(['Eyes', 'Teeth_Upper', 'Lashes']),
    );
  });
  it('leaves who is on its polygons already', async () => {
    const { run } = await converted(await drawn('harbour-pilot', 'Tessel'), 'tessel-figure');
    expect(run.steps.filter(({ id }) => id.startsWith('fit.'))).toEqual([]);
  });
  it('takes a figure that was learned a moment ago, with its own texture places and names', async () => {
    const sample = await drawn('harbour-pilot', 'Corvane');
    for (const part of listParts(sample).filter(isSkin)) {
      const uv = part.prim.getAttribute('TEXCOORD_0') as NonNullable<ReturnType<Part['prim']['getAttribute']>>;
      // Mirrored, so that hands of triangles turn over.
      uv.setArray(floatsOf(uv).map((x, k) => (k % 2 ? x : 1 - x)));
      part.material?.setName(`third_${part.material.getName()}`);
    }
    const learned = await bodyOfSample(sample, 'Third', sha256),
      figure: Figure = { ...learnFigure(sample, { id: 'third', title: 'Third' }), body: learned.body },
      [shipped] = SHIPPED_TARGETS.filter(({ id }) => id === 'tessel-figure'),
      target = parseTarget({ ...shipped, joints: { ...shipped.joints, figure }, fit: { body: true, maps: 128 } }),
      source = await drawn('rescue-swimmer', 'Corvane'),
      run = await runRecipe({ document: async () => source }, target, defaultRecipe(), {
        context: { ...context, piece: async () => learned.bytes },
      }),
      document = await run.document();
    expect(
      listParts(document)
        .filter(isSkin)
        .map(({ material }) => material?.getName()),
    ).toEqual(learned.body.parts.map(({ material }) => material));
    expect(liesOnBody(document, learned.body)).toBe(true);
  });
});

describe('what can’t be done is said, and nothing is changed', () => {
  const refused = async (source: Document, body: Document) => {
    const before = JSON.stringify(listParts(source).map(({ id, vertices }) => [id, vertices]));
    const said = await wrapStep
      .run(
        source,
        { body: 'it', detail: 'quick', morphs: 'target', weights: 'nearer', sides: 'own' },
        SHIPPED_TARGETS[0],
        {
          ...context,
          character: async () => ({ document: body, name: 'Half a figure' }),
        },
      )
      .then(
        () => 'nothing',
        (error: ProblemError) => error.message,
      );
    expect(JSON.stringify(listParts(source).map(({ id, vertices }) => [id, vertices]))).toBe(before);
    return said;
  };
  const person = () => drawn('rescue-swimmer', 'Corvane');
  it('a figure without texture places', async () => {
    const body = await person();
    for (const { prim } of listParts(body)) prim.setAttribute('TEXCOORD_0', null);
    expect(await refused(await person(), body)).toContain('has no texture places');
  });
  it('a figure without a skeleton, and one with half of one', async () => {
    const body = await person();
    for (const skin of body.getRoot().listSkins()) skin.dispose();
    expect(await refused(await person(), body)).toContain('its skeleton lacks');
    const half = await person();
    for (const skin of half.getRoot().listSkins())
      for (const joint of skin.listJoints()) if (/thigh|knee|foot/i.test(joint.getName())) joint.dispose();
    expect(await refused(await person(), half)).toMatch(/its skeleton lacks .*leg|some of its vertices lie nowhere/i);
  });
  it('a figure of which nothing is skin, and a character of which nothing is', async () => {
    const body = await person();
    for (const part of listParts(body).filter(isSkin)) part.node.setMesh(null);
    expect(await refused(await person(), body)).toContain('nothing of it is known to be skin');
    const bare = await person();
    for (const part of listParts(bare).filter(isSkin)) part.node.setMesh(null);
    expect(await refused(bare, await person())).toContain('No other figure can take on this one’s shape');
  });
  it('a figure whose skin isn’t here, and one that has joints alone', async () => {
    const { target } = await wanted('corvane-figure'),
      run = (asked: Target, piece?: () => Promise<null>) =>
        runRecipe({ document: person }, asked, defaultRecipe(), { context: { ...context, piece } }).then(
          () => 'nothing',
          (error: ProblemError) => error.message,
        );
    expect(await run(target)).toContain('The skin of Corvane is not here');
    expect(await run(target, async () => null)).toContain('Bring the figure once more as an archive');
    const figure = target.joints.figure as Figure;
    expect(await run({ ...target, joints: { ...target.joints, figure: { ...figure, body: undefined } } })).toContain(
      'Corvane has joints alone',
    );
  });
});
