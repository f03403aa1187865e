import { fromHead } from '../body/joints.ts';
import { gather, type Bound } from '../body/weights.ts';
import { brows, scalpCap, tearLine } from '../head/details.ts';
import type { Head } from '../head/build.ts';
import { eyeball } from '../head/eye-and-ear.ts';
import { step } from '../head/curves.ts';
import { gums, teeth, tongue } from '../head/mouth.ts';
import { hairOf, lashes } from '../hair.ts';
import type { Person } from '../people.ts';
import { triangulate, withUv } from '../surface.ts';
import {
  cardsPart,
  flat,
  morphCards,
  single,
  withJaw,
  type Changed,
  type FigurePart,
  type JointIndex,
} from './part.ts';

export function eyeParts(head: Head, index: JointIndex): FigurePart[] {
  const { eyeX, eyeY, eyeZ } = head.traits;
  const make = (name: string, material: string, grow: number): FigurePart => {
    const shells = ([1, -1] as const).map((side) => eyeball(head, side, grow));
    const positions = flat([...shells[0].positions, ...shells[1].positions]);
    const n = shells[0].positions.length;
    const quads = [...shells[0].quads, ...shells[1].quads.map((q) => q.map((i) => i + n))].flat();
    const surface = withUv(positions, triangulate(positions, quads), shells.flatMap((shell) => shell.uv).flat());
    const left = single(n, index.get('eye_l') as number),
      right = single(n, index.get('eye_r') as number);
    const bound: Bound = {
      perVertex: 4,
      joints: Uint16Array.from([...left.joints, ...right.joints]),
      weights: Float32Array.from([...left.weights, ...right.weights]),
    };
    const part: FigurePart = { name, material, surface, bound, morphs: new Map(), extra: [] };
    for (const [gaze, sideways, upwards] of GAZES)
      part.morphs.set(
        gaze,
        turnedEyes(
          surface.positions,
          ([1, -1] as const).map((side) => fromHead([side * eyeX, eyeY, eyeZ])),
          sideways,
          upwards,
        ),
      );
    return part;
  };
  return [make('Eyes', 'Eyes', 0), make('Corneas', 'Cornea', 0.22)];
}

/** Where the eyes can look by morph, degrees to the character's left and upwards. */
const GAZES: readonly (readonly [name: string, sideways: number, upwards: number])[] = [
  ['gaze_left', 28, 0],
  ['gaze_right', -28, 0],
  ['gaze_up', 0, 20],
  ['gaze_down', 0, -24],
];

/** Both eyeballs turned about their own middles, as differences. */
function turnedEyes(
  positions: Float32Array,
  centres: readonly (readonly [number, number, number])[],
  sideways: number,
  upwards: number,
): Float32Array {
  const a = (sideways * Math.PI) / 180,
    b = (upwards * Math.PI) / 180,
    out = new Float32Array(positions.length);
  for (let i = 0; i < out.length; i += 3) {
    const centre = positions[i] * centres[0][0] > 0 ? centres[0] : centres[1],
      x = positions[i] - centre[0],
      y = positions[i + 1] - centre[1],
      z = positions[i + 2] - centre[2];
    // About the vertical first, then about the axis across.
    const x1 = x * Math.cos(a) + z * Math.sin(a),
      z1 = z * Math.cos(a) - x * Math.sin(a);
    out[i] = x1 - x;
    out[i + 1] = y * Math.cos(b) + z1 * Math.sin(b) - y;
    out[i + 2] = z1 * Math.cos(b) - y * Math.sin(b) - z;
  }
  return out;
}

export function lashPart(head: Head, changed: Changed, index: JointIndex): FigurePart {
  const part = cardsPart('Lashes', 'Lashes', lashes(head), (count) => single(count, index.get('head') as number));
  for (let v = 0; v < part.surface.origin.length; v++) {
    const side = part.surface.positions[v * 3] > 0 ? 'l' : 'r';
    part.bound.joints.set([index.get(`lid_upper_${side}`) as number, index.get('head') as number], v * 4);
    part.bound.weights.set([0.8, 0.2], v * 4);
  }
  return morphCards(part, changed, lashes, (name) => /blink|squint|eye_wide|lids|brow|age/.test(name));
}

/** Teeth and gums of both jaws and the tongue; what lies in the lower jaw opens with it. */
export function mouthParts(changed: Changed, index: JointIndex, coarse: boolean): FigurePart[] {
  const on = (joint: string) => (count: number) => single(count, index.get(joint) as number);
  const lower = [
    cardsPart('Teeth_Lower', 'Teeth', teeth(true), on('jaw')),
    cardsPart('Gums_Lower', 'Gums', gums(true), on('jaw')),
    tonguePart(index, coarse),
  ];
  for (const { expression } of changed)
    if (expression.change.jawOpen)
      for (const part of lower)
        part.morphs.set(expression.name, withJaw(part.surface.positions, expression.change.jawOpen));
  return [
    cardsPart('Teeth_Upper', 'Teeth', teeth(false), on('head')),
    cardsPart('Gums_Upper', 'Gums', gums(false), on('head')),
    ...lower,
  ];
}

/** The tongue's root follows the jaw, its body and tip their own joints. */
function tonguePart(index: JointIndex, coarse: boolean): FigurePart {
  return cardsPart('Tongue', 'Tongue', tongue(coarse ? 8 : 18), (count) => {
    const shape = tongue(coarse ? 8 : 18),
      dense = new Map<number, Float32Array>(
        ['jaw', 'tongue_1', 'tongue_2'].map((name) => [index.get(name) as number, new Float32Array(count)]),
      ),
      [jaw, body, tip] = [...dense.values()];
    const [, , back] = fromHead([0, 0, 46]),
      [, , front] = fromHead([0, 0, 62]),
      [, , end] = fromHead([0, 0, 74]);
    for (let v = 0; v < count; v++) {
      const z = shape.positions[v * 3 + 2],
        past = step(back - 0.006, front - 0.004, z),
        last = step(front, end, z);
      jaw[v] = 1 - past;
      body[v] = past * (1 - last);
      tip[v] = past * last;
    }
    return gather(dense, count, 4);
  });
}

/** The wet line along the lower lids. */
export function tearPart(head: Head, changed: Changed, index: JointIndex): FigurePart {
  const part = cardsPart('Tear_Line', 'Tear_Line', tearLine(head), (count) =>
    single(count, index.get('head') as number),
  );
  for (let v = 0; v < part.surface.origin.length; v++) {
    part.bound.joints.set(
      [index.get(`lid_lower_${part.surface.positions[v * 3] > 0 ? 'l' : 'r'}`) as number, index.get('head') as number],
      v * 4,
    );
    part.bound.weights.set([0.8, 0.2], v * 4);
  }
  return morphCards(part, changed, tearLine, (name) =>
    /blink|squint|eye_wide|lids|smile|cheek|age|wince|tired|surprise/.test(name),
  );
}

/** Hairs of the brows over the painted ones; they follow the skin that they grow from, bones and morphs alike. */
export function browPart(head: Head, changed: Changed, index: JointIndex, cards: number): FigurePart {
  const lay = brows(head, cards);
  const part = cardsPart('Brows', 'Brows', lay(head), (count) => single(count, index.get('head') as number));
  for (let v = 0; v < part.surface.origin.length; v++) {
    const x = part.surface.positions[v * 3] * 1000,
      side = x > 0 ? 'l' : 'r',
      spot = (at: number, r: number) => 0.35 * Math.exp(-((Math.abs(x) - at) ** 2) / (r * r)),
      inner = spot(14, 10),
      outer = spot(42, 11);
    part.bound.joints.set(
      [
        index.get('head') as number,
        index.get(`brow_inner_${side}`) as number,
        index.get(`brow_outer_${side}`) as number,
      ],
      v * 4,
    );
    part.bound.weights.set([1 - inner - outer, inner, outer], v * 4);
  }
  return morphCards(part, changed, lay, () => true);
}

/** A cap of short hair on the skull, below the cards. */
export const scalpPart = (head: Head, index: JointIndex, coarse: boolean): FigurePart =>
  cardsPart('Scalp', 'Scalp', scalpCap(head, coarse ? 5 : 14, coarse ? 12 : 40), (count) =>
    single(count, index.get('head') as number),
  );

export const hairPart = (head: Head, person: Person, index: JointIndex): FigurePart =>
  cardsPart('Hair', 'Hair', hairOf(head, person.hair.style), (count) => single(count, index.get('head') as number));
