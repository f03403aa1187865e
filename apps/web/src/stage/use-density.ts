import { type CharacterSummary, densityByVertex } from '@dimetra/core';
import { useMemo } from 'react';
import type { LoadedFigure } from '../figure/load.ts';
import { useDesk } from './context.ts';
import type { Side } from './state.ts';

interface Figures {
  source: LoadedFigure | null;
  result: LoadedFigure | null;
}
type Density = Record<Side, ReadonlyMap<string, Float32Array>>;
const NOTHING: ReadonlyMap<string, Float32Array> = new Map();

/** How densely the colour maps of both figures lie, in the sizes that they come and are delivered in; null while it isn't asked for. */
export function useDensity({ source, result }: Figures, asked: boolean): Density | null {
  const { character, run } = useDesk(),
    arrived = character.revision.summary,
    delivered = run?.result ?? null;
  return useMemo(
    () =>
      asked
        ? {
            source: source ? densityOf(source, arrived, arrived.unitMetres) : NOTHING,
            result: result && delivered ? densityOf(result, delivered, 1) : NOTHING,
          }
        : null,
    [asked, source, result, arrived, delivered],
  );
}

function densityOf({ document }: LoadedFigure, { materials }: CharacterSummary, metres: number): Density[Side] {
  const maps = new Map(materials.map(({ name, maps: { baseColor } }) => [name, baseColor]));
  return densityByVertex(document, (material) => maps.get(material.getName()) ?? null, metres);
}
