import { describe, expect, it } from 'vitest';
import { createDeformer, floatsOf, listMorphNames, listParts } from '../character/index.ts';
import { runRecipe } from '../recipe/index.ts';
import { parseTarget, SHIPPED_TARGETS } from '../targets/index.ts';
import { testContext } from '../testing/context.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { morphNamesAfter, nameMorphs } from './name-morphs.ts';

const named = (...names: string[]) => {
  const document = stickFigure({ rings: 3 }),
    [{ prim, mesh }] = listParts(document),
    [first] = prim.listTargets();
  names.forEach((name, i) => {
    const array = floatsOf(first.getAttribute('POSITION') as never).map((value) => value * (i + 2));
    prim.addTarget(
      document
        .createPrimitiveTarget(name)
        .setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(array)),
    );
  });
  mesh.setExtras({ targetNames: ['lift', ...names] });
  return document;
};
const shape = (document: ReturnType<typeof named>, morph: string) => {
  const deformer = createDeformer(document);
  return [...deformer.evaluate(new Float32Array(deformer.vertices * 3), { [morph]: 1 })];
};

describe('names of morphs', () => {
  it('take a pattern and join their words; equal ones get numbers, and nothing of another script is lost', () => {
    const of = (names: string[], naming: Parameters<typeof morphNamesAfter>[1]) => [
      ...morphNamesAfter(names, naming).values(),
    ];
    expect(of(['Brow Up_L', 'smile'], { words: 'camel', pattern: 'Face.{name}' })).toEqual([
      'Face.browUpL',
      'Face.smile',
    ]);
    expect(of(['browUpLeft', 'Levé haut'], { words: 'snake' })).toEqual(['brow_up_left', 'leve_haut']);
    expect(of(['a b', 'aB', 'A_B'], { words: 'snake' })).toEqual(['a_b', 'a_b_2', 'a_b_3']);
    expect(of(['笑顔 L', 'улыбка'], { words: 'snake' })).toEqual(['笑顔 L', 'улыбка']);
    expect(of(['x'], {})).toEqual(['x']);
  });
  it('go with their shapes into any order', () => {
    const document = named('b', 'a'),
      [lift, b, a] = ['lift', 'b', 'a'].map((morph) => shape(document, morph));
    expect(nameMorphs(document, { pattern: 'm_{name}', order: 'name' })).toBe(3);
    expect(listMorphNames(document)).toEqual(['m_a', 'm_b', 'm_lift']);
    expect([shape(document, 'm_lift'), shape(document, 'm_b'), shape(document, 'm_a')]).toEqual([lift, b, a]);
  });
  it('are what the target asks for, unless the recipe says otherwise; a pattern without a name is refused', async () => {
    const target = parseTarget({ ...SHIPPED_TARGETS[0], morphs: { max: 9, names: { pattern: 'sm_{name}' } } }),
      run = async (settings: Record<string, unknown>) => {
        const { document, steps } = await runRecipe(
          { document: async () => named('smileLeft') },
          target,
          {
            schema: 1,
            steps: [{ id: 'morphs.name', enabled: true, settings }],
          },
          { context: testContext() },
        );
        return [listMorphNames(await document()), steps.find(({ id }) => id === 'morphs.name')?.measures[0].result];
      };
    expect(await run({})).toEqual([['sm_lift', 'sm_smileLeft'], 2]);
    expect(await run({ pattern: '{name}', words: 'snake' })).toEqual([['lift', 'smile_left'], 1]);
    expect(() => parseTarget({ ...SHIPPED_TARGETS[0], morphs: { max: 9, names: { pattern: 'all' } } })).toThrow(
      '{name}',
    );
  });
});
