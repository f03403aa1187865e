import { copyDocument, measureStance, standAsFound, standsAsSet } from '@dimetra/core';
import type { LoadedFigure } from './load.ts';

export type StandSettings = NonNullable<Parameters<typeof standAsFound>[1]>;

/** The figure as the first step stands it up; the same object where it stands already. */
export function standFigure(figure: LoadedFigure, settings: StandSettings): LoadedFigure {
  const found = measureStance(figure.document);
  if (standsAsSet(found, settings)) return figure;
  const document = copyDocument(figure.document);
  standAsFound(document, settings);
  const before = figure.document.getRoot().listTextures();
  return {
    url: figure.url,
    document,
    imageOf: new Map(
      document
        .getRoot()
        .listTextures()
        .map((texture, i) => [texture, figure.imageOf.get(before[i]) ?? '']),
    ),
  };
}
