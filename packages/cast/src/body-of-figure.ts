import type { Document } from '@gltf-transform/core';
import { toCorvane } from './corvane.ts';
import { buildPerson } from './figure.ts';
import { type Person, personById } from './people.ts';
import { materialsOf } from './textures.ts';
import { writeFigure } from './write.ts';

/**
 * The person that a figure format is drawn with: nobody, of average build, bare, in the format's own joints and rest pose,
 * without images.
 * @param coarse 1 for the format's own polygons, larger for fewer
 * @param expressions whether its face can move
 */
export function bodyOfFigure(figure: Person['figure'], coarse = 1, expressions = false): Document {
  const person: Person = {
      ...personById('harbour-pilot'),
      figure,
      traits: {},
      wears: ['hands'],
      height: 1,
      girth: 0,
      physique: undefined,
      proportions: undefined,
    },
    // What is drawn on belongs to the person.
    plain = new Map(
      [...materialsOf(person)].map(([name, { color: _, normal: __, surface: ___, ...row }]) => [name, row]),
    ),
    document = writeFigure(
      buildPerson(person, { coarse, ...(!expressions && { expressions }), progress: () => {} }),
      new Map(),
      plain,
      `${figure} figure`,
    );
  if (figure === 'Corvane') toCorvane(document);
  return document;
}
