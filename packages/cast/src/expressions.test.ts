import type { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import {
  copyDocument,
  EXPRESSION_SETS,
  expressionsStep,
  expressionSetOf,
  type ExpressionSet,
  findExpressions,
  floatsOf,
  learnExpressions,
  listMorphNames,
  listParts,
  SHIPPED_TARGETS,
} from '@dimetra/core';
import * as v from 'valibot';
import { context, useSmallCast } from './testing/small-cast.ts';

const cast = useSmallCast();
const setOf = (id: string) => EXPRESSION_SETS.find((set) => set.id === id) as ExpressionSet;
/** The pilot with other names for its morphs; null takes one out. */
function renamed(to: (name: string) => string | null): Document {
  const document = copyDocument(cast('harbour-pilot').read.document);
  for (const { mesh, prim } of listParts(document)) {
    const names = mesh.getExtras().targetNames as string[],
      targets = prim.listTargets();
    names.forEach((name, i) => {
      if (to(name) === null) prim.removeTarget(targets[i]);
      else targets[i].setName(to(name) as string);
    });
    mesh.setExtras({ targetNames: names.map(to).filter((name) => name !== null) });
  }
  return document;
}
const ways = (document: Document, set: string) => {
  const { found, missing } = findExpressions(document, setOf(set));
  return {
    of: new Map(
      found.map(({ entry, how, terms }) => [
        entry.name,
        `${how}: ${terms.map(({ morph, weight, half }) => `${weight === 1 ? '' : `${weight} `}${morph}${half ? ` ${half}` : ''}`).join(' + ')}`,
      ]),
    ),
    missing: missing.map(({ name }) => name),
  };
};

describe('a set of expressions', () => {
  it('is found by name, and what isn’t there is made of what is', () => {
    const { of, missing } = ways(
      renamed((name) => name),
      'vrm-1',
    );
    expect(missing).toEqual([]);
    expect([of.get('blinkLeft'), of.get('ou'), of.get('lookLeft'), of.get('surprised')]).toEqual([
      'name: blink_l',
      'name: say_oo',
      'name: gaze_left',
      'name: surprise',
    ]);
    expect(of.get('happy')).toBe('sum: smile + 0.6 cheek_raise');
    expect(
      ways(
        renamed((name) => name),
        'face',
      ).of.get('mouth_corner_down_left'),
    ).toBe('half: frown left');
  });
  it('is found in other words and languages, and no letter of a side is taken for a sound', () => {
    const words: Record<string, string> = {
        blink_l: 'Lid.zu.links',
        blink_r: 'Lid.zu.rechts',
        smile: 'Lächeln',
        jaw_open: 'bouche_ouverte',
        brow_up: 'Sourcils levé haut',
        gaze_left: 'Look-L',
        say_oo: 'Viseme_U',
        say_aa: 'A',
      },
      document = renamed((name) => words[name] ?? (name in words ? null : /^(say_er|squint)/.test(name) ? name : null)),
      { of, missing } = ways(document, 'speech');
    expect(of.get('vowel_close_back')).toBe('name: Viseme_U');
    expect(of.get('vowel_open')).toBe('name: A');
    expect(of.get('rhotic')).toBeUndefined();
    expect(missing).toContain('rhotic');
    const face = ways(document, 'face').of;
    expect([
      face.get('jaw_drop'),
      face.get('eyes_left'),
      face.get('brow_raise_left'),
      face.get('mouth_corner_up_right'),
    ]).toEqual(['name: bouche_ouverte', 'name: Look-L', 'half: Sourcils levé haut left', 'half: Lächeln right']);
  });
  it('is found by what moves where names say nothing, and nothing is taken for what it isn’t', () => {
    const numbers = new Map(listMorphNames(cast('harbour-pilot').read.document).map((name, i) => [name, `Form ${i}`])),
      back = new Map([...numbers].map(([name, number]) => [number, name])),
      document = renamed((name) => numbers.get(name) as string),
      every = findExpressions(document, setOf('face')).found,
      found = every
        .filter(({ how }) => how !== 'joints')
        .map(({ entry, how, terms }) => [entry.name, how, back.get(terms[0].morph)]);
    expect(every.flatMap(({ entry, how }) => (how === 'joints' ? [entry.name] : []))).toEqual([
      'eyes_up',
      'eyes_down',
      'eyes_left',
      'eyes_right',
    ]);
    expect(found).toEqual([
      ['brow_raise_left', 'shape', 'brow_up_l'],
      ['brow_raise_right', 'shape', 'brow_up_r'],
      ['brow_lower_left', 'shape', 'brow_down_l'],
      ['brow_lower_right', 'shape', 'brow_down_r'],
      ['brow_inner_raise', 'sum', 'brow_up'],
      ['lid_close_left', 'shape', 'blink_l'],
      ['lid_close_right', 'shape', 'blink_r'],
      ['lid_widen_left', 'shape', 'eye_wide_l'],
      ['lid_widen_right', 'shape', 'eye_wide_r'],
      ['cheek_fill_left', 'shape', 'cheek_puff_l'],
      ['cheek_fill_right', 'shape', 'cheek_puff_r'],
      ['mouth_corner_up_left', 'shape', 'smile_l'],
      ['mouth_corner_up_right', 'shape', 'smile_r'],
      ['mouth_narrow', 'shape', 'pucker'],
      ['mouth_widen', 'shape', 'lips_wide'],
      ['jaw_drop', 'shape', 'jaw_open'],
    ]);
  });
});

const run = (document: Document, settings: v.InferInput<typeof expressionsStep.settings>) =>
  expressionsStep.run(document, v.parse(expressionsStep.settings, settings), SHIPPED_TARGETS[0], context);
const movement = (document: Document, name: string): Float32Array => {
  const { prim, mesh } = listParts(document).find(({ id }) => id === 'Head') as ReturnType<typeof listParts>[number];
  return floatsOf(
    prim.listTargets()[(mesh.getExtras().targetNames as string[]).indexOf(name)].getAttribute('POSITION') as never,
  );
};
/** Mean distance over the vertices that move, millimetres. */
function meanOff(a: Float32Array, b: Float32Array): number {
  let sum = 0,
    n = 0;
  for (let i = 0; i < a.length; i += 3) {
    if (!(Math.hypot(a[i], a[i + 1], a[i + 2]) > 1e-5 || Math.hypot(b[i], b[i + 1], b[i + 2]) > 1e-5)) continue;
    sum += Math.hypot(a[i] - b[i], a[i + 1] - b[i + 1], a[i + 2] - b[i + 2]);
    n++;
  }
  return (sum / (n || 1)) * 1000;
}

describe('what is made is near to what the cast has of its own', () => {
  const own = () => cast('harbour-pilot').read.document;
  it.each<[string, (name: string) => boolean, string, string]>([
    ['a half of a whole', (name) => /^(blink|smile)_[lr]$/.test(name), 'half', 'half'],
    ['two halves joined', (name) => name === 'blink' || name === 'smile', 'halves', 'name'],
    ['the mirror image of the other side', (name) => /^(blink|smile)(_l)?$/.test(name), 'mirror', 'mirror'],
  ])('%s', async (_, gone, how, sided) => {
    const document = renamed((name) => (gone(name) ? null : name)),
      { of } = ways(document, 'vrm-1');
    expect(of.get('blink')?.split(':')[0]).toBe(how === 'half' ? 'name' : how);
    expect(of.get('blinkLeft')?.split(':')[0]).toBe(sided);
    await run(document, { set: 'vrm-1' });
    expect(meanOff(movement(document, 'blinkLeft'), movement(own(), 'blink_l'))).toBeLessThan(1);
    expect(meanOff(movement(document, 'blinkRight'), movement(own(), 'blink_r'))).toBeLessThan(1);
    expect(meanOff(movement(document, 'blink'), movement(own(), 'blink'))).toBeLessThan(1);
  });
  it('turned joints of jaw and eyes, and the inverse of what moves the other way', async () => {
    const document = renamed((name) => (/^(jaw_|gaze_|brow_up|say_|surprise)/.test(name) ? null : name)),
      { of } = ways(document, 'face');
    expect([of.get('jaw_drop'), of.get('eyes_up'), of.get('brow_raise_left')]).toEqual([
      'joints: jaw joint: jaw_open',
      'joints: eye joints: gaze_up',
      'inverse: -1 brow_down_l',
    ]);
    const { findings } = await run(document, { set: 'face' });
    expect(findings.map(({ code }) => code)).toEqual(
      expect.arrayContaining(['morphs.expression-joints', 'morphs.expression-inverse']),
    );
    expect(listMorphNames(document).filter((name) => name.includes('joint'))).toEqual([]);
    // The jaw opens as the cast's own does: the same places, the same way.
    const alike = (a: Float32Array, b: Float32Array) => {
      let [dot, aa, bb] = [0, 0, 0];
      for (let i = 0; i < a.length; i++) {
        dot += a[i] * b[i];
        aa += a[i] * a[i];
        bb += b[i] * b[i];
      }
      return dot / Math.sqrt(aa * bb);
    };
    expect(alike(movement(document, 'jaw_drop'), movement(own(), 'jaw_open'))).toBeGreaterThan(0.85);
    expect(
      meanOff(
        movement(document, 'brow_raise_left'),
        movement(own(), 'brow_down_l').map((value) => -value),
      ),
    ).toBe(0);
    const eyes = (of: Document, name: string) => {
      const { prim, mesh } = listParts(of).find(({ id }) => id === 'Eyes') as ReturnType<typeof listParts>[number];
      return floatsOf(
        prim.listTargets()[(mesh.getExtras().targetNames as string[]).indexOf(name)].getAttribute('POSITION') as never,
      );
    };
    for (const [made, theirs] of [
      ['eyes_up', 'gaze_up'],
      ['eyes_down', 'gaze_down'],
    ])
      expect(alike(eyes(document, made), eyes(own(), theirs)), made).toBeGreaterThan(0.9);
  });
  it('keeps, renames, makes and says so; by hand stands above all', async () => {
    const document = renamed((name) => (/^(say_ee|lips_wide|jaw_open|jaw_half|pucker)$/.test(name) ? null : name)),
      { findings, measures } = await run(document, {
        set: 'vrm-1',
        names: { relaxed: 'tired', bored: 'tired', sad: 'gone' },
      }),
      names = listMorphNames(document);
    expect(names.slice(0, 5)).toEqual(['happy', 'angry', 'sad', 'relaxed', 'surprised']);
    expect(names).not.toContain('tired');
    // Smile is part of others, and stays beside them; of a mere renaming nothing stays.
    expect(names).toContain('smile');
    expect(names).not.toContain('say_aa');
    expect(findings.find(({ code }) => code === 'morphs.expressions-missing')).toMatchObject({ measured: 2 });
    expect(findings.find(({ code }) => code === 'morphs.expressions-missing')?.message).toMatch(/“ih”, “ee”/);
    expect(findings.filter(({ code }) => code === 'recipe.unknown-name').map(({ where }) => where)).toEqual([
      'bored',
      'sad',
    ]);
    expect(measures.find(({ code }) => code === 'expressions')).toMatchObject({ source: 17, result: 15 });
    const only = renamed((name) => name);
    await run(only, { set: 'vrm-1', others: false });
    expect(listMorphNames(only)).toEqual(setOf('vrm-1').entries.map(({ name }) => name));
  });
  it('says which set there isn’t, and what is wrong with one of one’s own', async () => {
    await expect(
      run(
        renamed((name) => name),
        { set: 'vrm-9' },
      ),
    ).rejects.toMatchObject({ code: 'expressions.unknown' });
    expect(
      v.safeParse(expressionsStep.settings, {
        set: { schema: 1, id: 'mine', title: 'Mine', entries: [{ name: 'a' }, { name: 'a' }] },
      }).success,
    ).toBe(false);
    const mine = renamed((name) => name);
    await run(mine, {
      set: {
        schema: 1,
        id: 'mine',
        title: 'Mine',
        entries: [{ name: 'Zwinkern', means: 'blink', side: 'left' }, { name: 'age' }],
      },
      others: false,
    });
    expect(listMorphNames(mine)).toEqual(['Zwinkern', 'age']);
  });
});

describe('a set learned from a sample', () => {
  const sample = () => learnExpressions(cast('harbour-pilot').read.document, 'Harbour pilot');
  it('has what moves the face, with what it means and which way', () => {
    const set = sample();
    expect(set.id).toBe('harbour-pilot');
    const of = new Map(set.entries.map((entry) => [entry.name, entry]));
    expect(of.get('smile')).toMatchObject({ means: 'smile' });
    expect(of.get('blink_l')).toMatchObject({ means: 'blink', side: 'left' });
    expect(of.has('build_tall')).toBe(false);
    expect(of.has('elbow_bent_l')).toBe(false);
    expect(Math.hypot(...(of.get('smile')?.like ?? []))).toBeCloseTo(1, 2);
    // Kept and read again it is the same.
    expect(expressionSetOf(JSON.parse(JSON.stringify(set)))).toEqual(set);
  });
  it('is found on the sample itself as it is, every one by its own morph', () => {
    const set = sample(),
      { found, missing } = findExpressions(cast('harbour-pilot').read.document, set);
    expect(missing).toEqual([]);
    expect(found.filter(({ entry, terms }) => terms.length !== 1 || terms[0].morph !== entry.name)).toEqual([]);
  });
  it('is found on somebody else whose morphs are only numbered, by shape', () => {
    const set = sample(),
      names = listMorphNames(cast('harbour-pilot').read.document),
      document = renamed((name) => `Shape ${names.indexOf(name)}`),
      { found } = findExpressions(document, {
        ...set,
        entries: set.entries.map(({ means: _, side: __, ...entry }) => entry),
      }),
      right = found.filter(({ entry, terms }) => terms[0].morph === `Shape ${names.indexOf(entry.name)}`);
    // Looks and sounds that move the face alike are told from each other by nothing but their names.
    expect(found.length).toBeGreaterThan(15);
    expect(right.length).toBeGreaterThan(0.8 * found.length);
    for (const name of ['jaw_open', 'smile', 'blink_l']) expect(right.map(({ entry }) => entry.name)).toContain(name);
  });
  it('is refused of a character without any', () => {
    expect(() =>
      learnExpressions(
        renamed((name) => (name.startsWith('build') ? name : null)),
        'Nobody',
      ),
    ).toThrow(/Nobody.*no morph that is an expression/);
  });
});
