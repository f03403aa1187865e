import { seededRandom, sub } from '@dimetra/core';
import { describe, expect, it } from 'vitest';
import { buildPerson, SMALL, type Figure } from '../figure.ts';
import { neckRoot, PEOPLE, type Person, personById, reshapeOf } from '../people.ts';
import { tesselJoints } from './joints.ts';
import { AVERAGE_PROPORTIONS, reshape } from './proportions.ts';

const own = PEOPLE.filter((person) => person.proportions);
const length = (v: readonly number[]) => Math.hypot(...v);
const bone = (at: (name: string) => readonly number[], a: string, b: string) => length(sub(at(a), at(b)));
const standard = new Map(tesselJoints().map((joint) => [joint.name, joint.at]));
/** Clothed people fill some of this space, their clothes and hair most of the rest. */
const spots = (() => {
  const random = seededRandom(7);
  return Array.from({ length: 4000 }, () => [random() * 1.5 - 0.75, random() * 1.8, random() * 0.5 - 0.25]);
})();

describe('proportions', () => {
  it('of the average change nothing', () => {
    const to = reshape(AVERAGE_PROPORTIONS);
    for (const p of spots) expect(length(sub(to(p), p))).toBeLessThan(1e-12);
  });
  it('differ: a stocky, a heavy, a long-limbed and a slight person, two of them women', () => {
    expect(own.map(({ id }) => id).sort()).toEqual(['crane-operator', 'deckhand', 'port-signaller', 'rescue-swimmer']);
    const shares = PEOPLE.map((person) => {
      const to = reshapeOf(person);
      const at = (name: string) => to(standard.get(name) as number[]);
      return {
        legs: bone(at, 'thigh_l', 'knee_l') + bone(at, 'knee_l', 'foot_l'),
        shoulders: 2 * at('arm_l')[0],
        forearm: bone(at, 'elbow_l', 'wrist_l'),
        hand: bone(at, 'wrist_l', 'middle_l_end'),
        head: at('beanie_tip')[1] - at('head')[1],
      };
    });
    for (const key of ['legs', 'shoulders', 'forearm', 'hand', 'head'] as const) {
      const all = shares.map((share) => share[key]);
      expect(Math.max(...all) / Math.min(...all), key).toBeGreaterThan(1.06);
    }
    expect(PEOPLE.filter(({ physique }) => physique?.bust).map(({ id }) => id)).toEqual([
      'rescue-swimmer',
      'crane-operator',
    ]);
  });
  it.each(own.map((person) => [person.id, person] as const))(
    'of the %s turn no space over, leave the middle where it is, the soles on the ground and the crown as high',
    (_, person) => {
      const to = reshapeOf(person),
        h = 1e-4;
      for (const p of spots) {
        const columns = [0, 1, 2].map((k) => {
          const [a, b] = [-h, h].map((d) => to(p.map((x, i) => (i === k ? x + d : x))));
          return sub(b, a).map((x) => x / (2 * h));
        });
        const [a, b, c] = columns,
          volume =
            a[0] * (b[1] * c[2] - b[2] * c[1]) -
            a[1] * (b[0] * c[2] - b[2] * c[0]) +
            a[2] * (b[0] * c[1] - b[1] * c[0]);
        expect(volume, p.join(' ')).toBeGreaterThan(0.4);
        expect(volume, p.join(' ')).toBeLessThan(2);
        const mirrored = to([-p[0], p[1], p[2]]),
          here = to(p);
        expect(length(sub(mirrored, [-here[0], here[1], here[2]]))).toBeLessThan(1e-12);
      }
      expect(to([0, 1.2, 0.1])[0]).toBeCloseTo(0, 12);
      expect(to([0.12, 0, 0.05])[1]).toBeCloseTo(0, 9);
      expect(to([0, 1.79, 0])[1]).toBeCloseTo(1.79, 9);
      // The head keeps its form: it is as wide, high and deep by one factor.
      const [ear, chin, brow, neck] = [
        to([0.075, 1.65, 0]),
        to([0, 1.56, 0.1]),
        to([0, 1.68, 0.1]),
        to([0, 1.68, -0.08]),
      ];
      const factor = ear[0] / 0.075;
      expect((brow[1] - chin[1]) / 0.12).toBeCloseTo(factor, 4);
      expect((brow[2] - neck[2]) / 0.18).toBeCloseTo(factor, 4);
    },
  );
  it.each(own.map((person) => [person.id, person] as const))('of the %s are what was asked', (_, person) => {
    const to = reshapeOf(person),
      asked = { ...AVERAGE_PROPORTIONS, ...person.proportions },
      at = (name: string) => to(standard.get(name) as number[]),
      was = (name: string) => standard.get(name) as number[],
      head = (at('beanie_tip')[1] - at('head')[1]) / (was('beanie_tip')[1] - was('head')[1]),
      // All of a person is scaled so that they stay as tall: lengths are held against the head's.
      ratio = (a: string, b: string) => bone(at, a, b) / bone(was, a, b) / head;
    expect(ratio('thigh_l', 'knee_l')).toBeCloseTo(asked.thigh / asked.head, 1);
    expect(ratio('knee_l', 'foot_l')).toBeCloseTo(asked.shin / asked.head, 1);
    expect(ratio('arm_l', 'elbow_l')).toBeCloseTo(asked.upperArm / asked.head, 1);
    expect(Math.abs(ratio('elbow_r', 'wrist_r') - asked.forearm / asked.head)).toBeLessThan(0.01);
    expect(Math.abs(ratio('middle_l_1', 'middle_l_end') - asked.hand / asked.head)).toBeLessThan(1e-6);
    expect(Math.abs(at('arm_l')[0] / was('arm_l')[0] / head - asked.shoulders / asked.head)).toBeLessThan(0.01);
    expect(neckRoot(person)).toBeCloseTo(to([0, 1.5, 0])[1], 12);
  });
});

describe('a person on the other format’s polygons', () => {
  const on = (id: Person['id'], figure: Person['figure']): Figure =>
    buildPerson({ ...personById(id), figure }, { coarse: SMALL, progress() {} });
  const head = (figure: Figure) => figure.parts.find(({ name }) => name === 'Head') as Figure['parts'][number];
  const tessel = on('rescue-swimmer', 'Tessel'),
    corvane = on('rescue-swimmer', 'Corvane');
  it('has the same joints and the same shape, on the grid that format has for everybody', () => {
    expect(tessel.joints).toEqual(corvane.joints);
    const pilot = head(on('harbour-pilot', 'Corvane'));
    expect(head(corvane).surface.indices).toEqual(pilot.surface.indices);
    expect(head(corvane).surface.uv).toEqual(pilot.surface.uv);
    expect(head(tessel).surface.indices.length).not.toBe(pilot.surface.indices.length);
    const box = (figure: Figure) => {
      const { positions } = head(figure).surface,
        of = (k: number) => positions.filter((_, i) => i % 3 === k);
      return [0, 1, 2].flatMap((k) => [Math.min(...of(k)), Math.max(...of(k))]);
    };
    box(tessel).forEach((x, i) => {
      expect(Math.abs(x - box(corvane)[i])).toBeLessThan(0.004);
    });
  });
  it('has other texture places on its head: where one has the face the other has none', () => {
    const nose = ({ surface: { positions, uv } }: Figure['parts'][number]) => {
      let front = 0;
      for (let v = 0; v < positions.length; v += 3) if (positions[v + 2] > positions[front + 2]) front = v;
      return [uv[(front / 3) * 2], uv[(front / 3) * 2 + 1]];
    };
    expect(length(sub([...nose(head(tessel)), 0], [...nose(head(corvane)), 0]))).toBeGreaterThan(0.1);
  });
  it('raises its brows as far', () => {
    const most = (figure: Figure) => {
      const delta = head(figure).morphs.get('brow_up') as Float32Array;
      let far = 0;
      for (let i = 0; i < delta.length; i += 3) far = Math.max(far, length(Array.from(delta.subarray(i, i + 3))));
      return far;
    };
    expect(most(corvane)).toBeGreaterThan(0.003);
    expect(most(tessel) / most(corvane)).toBeCloseTo(1, 1);
    expect(most(on('harbour-pilot', 'Tessel'))).toBeGreaterThan(0.003);
  });
});
