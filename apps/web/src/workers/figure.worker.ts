import { asymmetryByPart, type ExpressionSet, learnExpressions, standAsFound } from '@dimetra/core';
import { expose } from 'comlink';
import { type PackedFigure, unpacked } from './packed.ts';

/** How a figure that came in is stood up; a result stands already. */
export type Stand = NonNullable<Parameters<typeof standAsFound>[1]> | null;

async function standing(packed: PackedFigure, stand: Stand) {
  const document = await unpacked(packed);
  if (stand) standAsFound(document, stand);
  return document;
}

/** What is asked of a whole figure now and then, off the page's own thread. */
const work = {
  /** What is crooked about it. */
  asymmetry: async (packed: PackedFigure, stand: Stand): Promise<ReturnType<typeof asymmetryByPart>> =>
    asymmetryByPart(await standing(packed, stand)),
  /** The expressions it has, as a set. @throws a sentence where it has none */
  expressions: async (packed: PackedFigure, title: string): Promise<ExpressionSet> =>
    learnExpressions(await standing(packed, {}), title),
};
export type FigureWorker = typeof work;
expose(work);
