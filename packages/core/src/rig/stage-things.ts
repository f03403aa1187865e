import type { Document } from '@gltf-transform/core';
import { floatsOf, globalMatrix, listParts, skeletonOf, wordsOf, type Part } from '../character/index.ts';

/** Something that came along and is no part of the person. */
export interface StageThing {
  part: Part;
  why: string;
}

/** What a stage is built of, in several languages; no word that a garment is called too. */
const STAGE =
  /^(ground|groundplane|floor|backdrop|background|cyclorama|pedestal|turntable|plinth|skydome|skybox|boden|sockel|suelo|fondo|sol|socle|pavimento)$/;
/** A sheet is thinner than this share of its length, and at least as long as this share of the person. */
const THIN = 0.01,
  LONG = 0.8;
/** What stands further off than this share of the person's length, or is this much larger all around, belongs to the place. */
const APART = 0.25,
  AROUND = 1.2;

type Box = { min: number[]; max: number[] };
const sides = ({ min, max }: Box): number[] => [0, 1, 2].map((k) => max[k] - min[k]);
const longest = (box: Box): number => Math.max(...sides(box));
const joined = (boxes: readonly Box[]): Box | null =>
  boxes.length
    ? {
        min: [0, 1, 2].map((k) => Math.min(...boxes.map((box) => box.min[k]))),
        max: [0, 1, 2].map((k) => Math.max(...boxes.map((box) => box.max[k]))),
      }
    : null;

/**
 * Ground planes, backdrops and props: parts that no joint moves, by their name, by being a sheet as long as the person,
 * by standing apart from them or all around them. Works before the figure stands: no axis is taken for up.
 */
export function stageThings(document: Document): StageThing[] {
  const { index } = skeletonOf(document),
    parts = listParts(document).filter((part) => part.triangles > 0);
  const hangs = (part: Part) => {
    for (let at = part.node.getParentNode(); at; at = at.getParentNode()) if (index.has(at)) return true;
    return false;
  };
  const loose = parts.filter((part) => !part.node.getSkin() && !hangs(part));
  if (!loose.length || parts.length < 2) return [];
  const boxes = new Map(parts.map((part) => [part, boxOf(part)]));
  const bound = parts.filter((part) => part.node.getSkin());
  const byName = new Set(
    loose.filter((part) => wordsOf(part.node.getName() || part.mesh.getName()).some((word) => STAGE.test(word))),
  );
  const out: StageThing[] = [];
  for (const part of loose) {
    const box = boxes.get(part) as Box,
      person = joined(
        (bound.length ? bound : parts.filter((other) => other !== part && !byName.has(other))).map(
          (other) => boxes.get(other) as Box,
        ),
      );
    if (!person) continue;
    const why = byName.has(part)
      ? 'by its name'
      : isSheet(box, person)
        ? 'a flat sheet as long as the figure'
        : bound.length && standsApart(box, person)
          ? 'stands apart from the figure'
          : bound.length && liesAround(box, person)
            ? 'lies all around the figure'
            : null;
    if (why) out.push({ part, why });
  }
  // Where nothing is left, it was the figure after all.
  return out.length === parts.length ? [] : out;
}

/** The box of a part as its node stands; a skinned one's as its vertices say, which is near enough for comparing. */
function boxOf(part: Part): Box {
  const position = part.prim.getAttribute('POSITION'),
    points = position ? floatsOf(position) : new Float32Array(0),
    m = part.node.getSkin() ? null : globalMatrix(part.node),
    box: Box = { min: [Infinity, Infinity, Infinity], max: [-Infinity, -Infinity, -Infinity] };
  for (let i = 0; i < points.length; i += 3)
    for (let k = 0; k < 3; k++) {
      const value = m
        ? m[k] * points[i] + m[4 + k] * points[i + 1] + m[8 + k] * points[i + 2] + m[12 + k]
        : points[i + k];
      if (value < box.min[k]) box.min[k] = value;
      if (value > box.max[k]) box.max[k] = value;
    }
  return box;
}

const isSheet = (box: Box, person: Box): boolean =>
  Math.min(...sides(box)) < THIN * longest(box) &&
  [...sides(box)].sort((a, b) => b - a)[1] > LONG * 0.5 * longest(person) &&
  longest(box) > LONG * longest(person);
const standsApart = (box: Box, person: Box): boolean =>
  [0, 1, 2].some((k) => Math.max(box.min[k] - person.max[k], person.min[k] - box.max[k]) > APART * longest(person));
const liesAround = (box: Box, person: Box): boolean =>
  [0, 1, 2].every((k) => box.min[k] <= person.min[k] && box.max[k] >= person.max[k]) &&
  sides(box).filter((side, k) => side > AROUND * sides(person)[k]).length >= 2;
