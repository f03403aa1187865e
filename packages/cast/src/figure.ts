import { tesselJoints, type JointSpec } from './body/joints.ts';
import { EXPRESSIONS } from './expressions.ts';
import type { Person } from './people.ts';
import { buildHead, type Head } from './head/build.ts';
import { headLayout } from './head/layout.ts';
import type { Traits } from './head/traits.ts';
import { bodyPart, garmentPart, nailsPart } from './parts/body-parts.ts';
import { addStature } from './parts/stature.ts';
import { addCorrectives } from './parts/correctives.ts';
import { browPart, eyeParts, hairPart, lashPart, mouthParts, scalpPart, tearPart } from './parts/face-parts.ts';
import { headPart } from './parts/head-part.ts';
import type { FigurePart } from './parts/part.ts';

export type { FigurePart } from './parts/part.ts';
export interface Figure {
  joints: JointSpec[];
  parts: FigurePart[];
  head: Head;
}

export interface FigureOptions {
  /** 1 is about 100,000 triangles; larger for fewer. */
  coarse: number;
  progress(message: string): void;
}

/** How much the full figure's head grid is stretched: cells of 1.4 to 2.2 mm on the face. */
export const FULL_HEAD = 2.25;
/** `coarse` of the small cast that tests use. */
export const SMALL = 8;

/** A clothed person in figure format Tessel, standing 179 cm times their own height. */
export function buildPerson(person: Person, options: FigureOptions): Figure {
  const { progress } = options,
    { traits } = person;
  // The other figure format has its own polygons: another grid on head and clothes.
  const other = person.figure === 'Corvane',
    coarse = options.coarse * (other ? 1.18 : 1),
    shift = other ? 0.41 : 0;
  const joints = tesselJoints();
  const index = new Map(joints.map((joint, i) => [joint.name, i]));
  progress('head');
  const layout = headLayout(FULL_HEAD * Math.sqrt(coarse) * (coarse > 1.5 ? 1.5 : 1));
  const head = buildHead(layout, traits);
  // A morph's left and right half are of the same head as the whole.
  const heads = new Map<object, Head>();
  const changed = EXPRESSIONS.map((expression) => {
    const { change, name } = expression;
    let made = heads.get(change);
    if (!made) {
      progress(`expression ${name}`);
      made = buildHead(layout, add(traits, change));
      heads.set(change, made);
    }
    return { expression, head: made };
  });
  progress('body');
  const fineness = Math.sqrt(coarse),
    body = bodyPart(person, joints, fineness, shift);
  const parts: FigurePart[] = [
    headPart(head, buildHead(layout, {}), changed, index, person),
    body,
    ...eyeParts(head, index),
    tearPart(head, changed, index),
    lashPart(head, changed, index),
    browPart(head, changed, index, coarse > 4 ? 12 : 30),
    ...mouthParts(changed, index, coarse > 4),
    scalpPart(head, index, coarse > 4),
    hairPart(head, person, index),
    nailsPart(index),
  ];
  for (const name of person.wears) {
    progress(name);
    parts.push(garmentPart(name, joints, fineness, shift, person.girth, person.wears));
  }
  addCorrectives(parts, joints);
  addStature(parts);
  const figure = { joints, parts, head };
  resize(figure, person.height);
  return figure;
}

/** Taller or smaller as a whole: surfaces, morphs, joints. */
function resize(figure: Figure, factor: number): void {
  if (factor === 1) return;
  for (const { surface, morphs } of figure.parts)
    for (const values of [surface.positions, ...morphs.values()])
      for (let i = 0; i < values.length; i++) values[i] *= factor;
  for (const joint of figure.joints) joint.at = joint.at.map((v) => v * factor) as [number, number, number];
}

/** Changes that are factors of an average are applied on top of the person's own. */
function add(own: Partial<Traits>, change: Partial<Traits>): Partial<Traits> {
  return { ...own, ...change };
}
