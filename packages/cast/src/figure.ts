import { cross, sub, unit } from '@dimetra/core';
import { tesselJoints, type JointSpec } from './body/joints.ts';
import type { Reshape } from './body/proportions.ts';
import { EXPRESSIONS } from './expressions.ts';
import { neckRoot, type Person, reshapeOf } from './people.ts';
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
  /** False: without the morphs of the face, each of which is a head of its own to draw. */
  expressions?: false;
  progress(message: string): void;
}

/** How much the full figure's head grid is stretched: cells of 1.4 to 2.2 mm on the face. */
export const FULL_HEAD = 2.25;
/** `coarse` of the small cast that tests use. */
export const SMALL = 8;

/** A clothed person in figure format Tessel's joints, standing 179 cm times their own height. */
export function buildPerson(person: Person, options: FigureOptions): Figure {
  const figure = formPerson(person, options);
  shapePerson(figure, person);
  return figure;
}

/** A person on the average skeleton, 179 cm tall: what maps are painted on. */
export function formPerson(person: Person, options: FigureOptions): Figure {
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
  const changed = (options.expressions === false ? [] : EXPRESSIONS).map((expression) => {
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
  return { joints, parts, head };
}

/** Gives a person on the average skeleton their own proportions and height, and the morphs that depend on them. */
export function shapePerson(figure: Figure, person: Person): void {
  const { parts, joints } = figure,
    to = reshapeOf(person);
  if (person.proportions) {
    for (const part of parts) reshapePart(part, to);
    for (const joint of joints) joint.at = to(joint.at);
  }
  addCorrectives(parts, joints);
  addStature(parts, neckRoot(person));
  resize(figure, person.height);
}

/** Places, normals and morphs of a part, moved with the space they lie in. */
function reshapePart({ surface: { positions, normals }, morphs }: FigurePart, to: Reshape): void {
  const before = Float64Array.from(positions),
    at = (v: number, by: ArrayLike<number>, far = 1) =>
      to([before[v] + by[0] * far, before[v + 1] + by[1] * far, before[v + 2] + by[2] * far]);
  for (let v = 0; v < positions.length; v += 3) {
    const here = at(v, [0, 0, 0]),
      normal = normals.subarray(v, v + 3),
      across = unit(cross(normal, Math.abs(normal[1]) < 0.9 ? [0, 1, 0] : [1, 0, 0])),
      up = cross(normal, across),
      turned = unit(cross(sub(at(v, across, TINY), here), sub(at(v, up, TINY), here)));
    for (const delta of morphs.values()) {
      const by = delta.subarray(v, v + 3);
      if (by[0] || by[1] || by[2]) by.set(sub(at(v, by), here));
    }
    positions.set(here, v);
    normals.set(turned, v);
  }
}
const TINY = 1e-4;

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
