import type { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { floatsOf, listParts } from '../character/index.ts';
import { EXPRESSION_SETS, type ExpressionSet, FEATURES } from '../targets/index.ts';
import { gridOf } from '../testing/sheet-figure.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { bodyRegions, REGIONS } from './body-regions.ts';
import { faceMoves } from './face-features.ts';
import { findExpressions } from './find-expressions.ts';
import { kindOfMorph, morphRows } from './morph-rows.ts';

/** The stick figure with morphs that move it where a function says. */
function moved(moves: Record<string, (x: number, y: number, z: number) => [number, number, number]>): Document {
  const document = stickFigure({ rings: 12, sides: 12 }),
    [{ prim, mesh }] = listParts(document),
    p = floatsOf(prim.getAttribute('POSITION') as never);
  for (const target of prim.listTargets()) prim.removeTarget(target);
  for (const [name, move] of Object.entries(moves)) {
    const delta = new Float32Array(p.length);
    for (let i = 0; i < p.length; i += 3) delta.set(move(p[i], p[i + 1], p[i + 2]), i);
    prim.addTarget(
      document
        .createPrimitiveTarget(name)
        .setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(delta)),
    );
  }
  mesh.setExtras({ targetNames: Object.keys(moves) });
  return document;
}

describe('what is known of a morph', () => {
  it('is where it moves the body, how far, what for, and which joints leave the shape', () => {
    const rows = morphRows(
      moved({
        A: (_x, y) => [0, 0.1 * y, 0],
        B: (x) => [Math.abs(x) > 0.6 ? 0.003 : 0, 0, 0],
        C: (x, y) => [0, 0, x > 0 && y < 0.085 ? 0.02 : 0],
        D: () => [0, 0, 0],
        E: (_x, y) => [0, 0.1 * y, 0],
      }),
    );
    expect(rows.map(({ name, group, kind }) => [name, group, kind])).toEqual([
      ['A', 'whole', 'build'],
      ['B', 'hands', 'build'],
      ['C', 'feet', 'build'],
      ['D', 'nowhere', 'other'],
      ['E', 'whole', 'build'],
    ]);
    expect(rows[0].maxMm).toBeGreaterThan(160);
    expect(rows[0].movesJoints.length).toBeGreaterThan(40);
    expect(rows[1].movesJoints.every((name) => /Index|Middle|Ring|Little|Thumb|Hand/.test(name))).toBe(true);
    expect(rows[1].movesJoints.length).toBeGreaterThan(4);
    expect([rows[3].moves, rows[3].movesJoints, rows[3].sameAs]).toEqual([0, [], undefined]);
    expect(rows[4].sameAs).toBe('A');
    expect(morphRows(moved({}))).toEqual([]);
  });
  it('is told by the words of its name first', () => {
    for (const [name, group, kind] of [
      ['Wimper_Blinzeln', 'eyes', 'expression'],
      ['ellbow_90', 'arms', 'corrective'],
      ['elbow_bent', 'arms', 'corrective'],
      ['Taille haute', 'whole', 'build'],
      ['thin_lips', 'mouth', 'identity'],
      ['thin', 'torso', 'build'],
      ['say_oh', 'mouth', 'viseme'],
      ['nose 3', 'nose', 'identity'],
      ['笑顔', 'mouth', 'expression'],
      ['x', 'nowhere', 'other'],
    ] as const)
      expect(kindOfMorph(name, group), name).toBe(kind);
  });
  it('has regions that lie where they are called', () => {
    const document = stickFigure({ rings: 12, sides: 12 }),
      regions = bodyRegions(document),
      p = floatsOf(listParts(document)[0].prim.getAttribute('POSITION') as never),
      means = new Map<string, { y: number; x: number; n: number }>();
    for (let v = 0; v < regions.length; v++) {
      const row = means.get(REGIONS[regions[v]]) ?? { x: 0, y: 0, n: 0 };
      row.x += Math.abs(p[v * 3]);
      row.y += p[v * 3 + 1];
      row.n++;
      means.set(REGIONS[regions[v]], row);
    }
    const at = (region: string) => {
      const row = means.get(region) ?? { x: 0, y: 0, n: 1 };
      return [row.x / row.n, row.y / row.n];
    };
    expect(at('feet')[1]).toBeLessThan(at('legs')[1]);
    expect(at('legs')[1]).toBeLessThan(at('torso')[1]);
    expect(at('torso')[1]).toBeLessThan(at('neck')[1]);
    expect(at('hands')[0]).toBeGreaterThan(at('arms')[0]);
  });
});

/** A face as a sheet before two eyes, in metres; morphs push places of it. */
const APART = 0.063,
  EYES = 1.66;
type Push = readonly [side: 1 | -1 | 0, x: number, y: number, move: readonly [number, number, number]];
function face(morphs: Record<string, readonly Push[]>): Document {
  const document = stickFigure(),
    { positions, indices } = gridOf(48, 64),
    place = positions.map((value, k) => (k % 3 === 0 ? value * 0.08 : k % 3 === 1 ? 1.5 + value * 0.22 : 0.1)),
    vec3 = (values: Float32Array) =>
      document
        .createAccessor()
        .setType('VEC3')
        .setArray(values as Float32Array<ArrayBuffer>),
    prim = document
      .createPrimitive()
      .setMaterial(document.createMaterial('Skin_Head'))
      .setAttribute('POSITION', vec3(place))
      .setIndices(document.createAccessor().setType('SCALAR').setArray(indices));
  for (const [name, pushes] of Object.entries(morphs)) {
    const delta = new Float32Array(place.length);
    for (let i = 0; i < place.length; i += 3)
      for (const [side, x, y, move] of pushes)
        for (const s of side === 0 ? [1, -1] : [side]) {
          const far = ((place[i] / APART - s * x) ** 2 + ((place[i + 1] - EYES) / APART - y) ** 2) / 0.02;
          for (let k = 0; k < 3; k++) delta[i + k] += move[k] * (k === 0 ? s : 1) * Math.exp(-far);
        }
    prim.addTarget(document.createPrimitiveTarget(name).setAttribute('POSITION', vec3(delta)));
  }
  document
    .getRoot()
    .listScenes()[0]
    .addChild(
      document.createNode('Head').setMesh(
        document
          .createMesh('Head')
          .addPrimitive(prim)
          .setExtras({ targetNames: Object.keys(morphs) }),
      ),
    );
  return document;
}
const LID = [0.5, 0.1] as const,
  CORNER = [0.4, -1.12] as const;

describe('movements of a face', () => {
  const document = face({
    one: [[0, ...LID, [0, -0.008, 0]]],
    two: [[1, ...LID, [0, -0.008, 0]]],
    three: [[0, ...CORNER, [0.004, 0.005, 0]]],
    four: [
      [0, ...CORNER, [-0.004, 0, 0.002]],
      [0, 0, -1.12, [0, 0, 0.003]],
    ],
    five: [[0, 0.24, -0.6, [0, 0.003, 0]]],
    less: [[0, ...LID, [0, -0.003, 0]]],
    nose: [[0, 0, -0.4, [0, 0, 0.006]]],
  });
  it('are read at its places, each side by itself, outwards being outwards on both', () => {
    const moves = faceMoves(document),
      at = (name: string, feature: (typeof FEATURES)[number]) => [
        moves?.get(name)?.left[FEATURES.indexOf(feature)] ?? 0,
        moves?.get(name)?.right[FEATURES.indexOf(feature)] ?? 0,
      ];
    expect(at('one', 'lid')[0]).toBeLessThan(-0.0035);
    expect(at('one', 'lid')[1]).toBeCloseTo(at('one', 'lid')[0], 4);
    expect(at('two', 'lid')[0]).toBeLessThan(-0.0035);
    expect(Math.abs(at('two', 'lid')[1])).toBeLessThan(1e-4);
    for (const value of at('three', 'cornerOut')) expect(value).toBeGreaterThan(0.002);
    for (const value of at('four', 'cornerOut')) expect(value).toBeLessThan(-0.002);
    for (const value of at('five', 'wingUp')) expect(value).toBeGreaterThan(0.0015);
    expect(faceMoves(stickFigure())).not.toBeNull();
  });
  it('tell expressions where names don’t, the strongest of those alike, and nothing for a nose', () => {
    const { found, missing } = findExpressions(
        document,
        EXPRESSION_SETS.find(({ id }) => id === 'face') as ExpressionSet,
      ),
      of = new Map(found.map(({ entry, how, terms }) => [entry.name, [how, terms[0].morph, terms[0].half]]));
    expect(of.get('lid_close_left')).toEqual(['shape', 'two', undefined]);
    expect(of.get('lid_close_right')).toEqual(['half', 'one', 'right']);
    expect(of.get('mouth_corner_up_left')).toEqual(['half', 'three', 'left']);
    expect(of.get('mouth_narrow')).toEqual(['shape', 'four', undefined]);
    expect(of.get('nose_wrinkle_left')).toEqual(['half', 'five', 'left']);
    expect([...of.values()].map(([, morph]) => morph)).not.toContain('nose');
    expect([...of.values()].map(([, morph]) => morph)).not.toContain('less');
    // No morph opens the mouth, but there is a joint for it; nothing puffs the cheeks.
    expect(of.get('jaw_drop')).toEqual(['joints', 'jaw joint: jaw_open', undefined]);
    expect(missing.map(({ name }) => name)).toContain('cheek_fill_left');
  });
});
