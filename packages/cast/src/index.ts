import type { Document } from '@gltf-transform/core';
import { ARRIVALS, type Arrival, type DecodeImage } from './arrivals.ts';
import { formPerson, shapePerson, SMALL } from './figure.ts';
import { type Person, personById, type PersonId } from './people.ts';
import { materialsOf, paintPerson, type EncodeImage } from './textures.ts';
import { writeFigure } from './write.ts';

export type { Arrival, DecodeImage, Truth } from './arrivals.ts';
export { corvaneName, toCorvane } from './corvane.ts';
export type { EncodeImage } from './textures.ts';
export { bodyOfFigure } from './body-of-figure.ts';
export { buildPerson, type Figure, type FigurePart } from './figure.ts';
export { PEOPLE, personById, type Person, type PersonId } from './people.ts';

export interface CastOptions {
  /** `full` is about 100,000 triangles with 2K maps; `small` a few thousand with tiny maps, for tests. */
  size: 'full' | 'small';
  encode: EncodeImage;
  /** Whose polygons and texture places the person is drawn on; their own format's where left out. */
  figure?: Person['figure'];
  progress?(message: string): void;
}

/** A person of Vell Sund on the joints and in the rest pose of figure format Tessel, clean. */
export async function makePerson(id: PersonId, options: CastOptions): Promise<Document> {
  const own = personById(id),
    person = options.figure ? { ...own, figure: options.figure } : own,
    full = options.size === 'full';
  const progress = options.progress ?? (() => {});
  const figure = formPerson(person, { coarse: full ? 1 : SMALL, progress }),
    // Maps are painted on the average skeleton, where a garment's trims and a face's features are said to be.
    maps = await paintPerson(figure, person, full ? 2048 : 128, options.encode, progress);
  shapePerson(figure, person);
  return writeFigure(figure, maps, materialsOf(person), person.name);
}

/** A person as they arrive at Saltmarsh: in the format and the condition their files came in, with what is right beside it. */
export async function makeArrival(id: PersonId, options: CastOptions & { decode: DecodeImage }): Promise<Arrival> {
  const document = await makePerson(id, options);
  options.progress?.('arrival');
  return ARRIVALS[id](document, options.decode);
}
