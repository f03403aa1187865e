import type { Document } from '@gltf-transform/core';
import { createDeformer, listMorphNames } from '../character/index.ts';

/** What the report says of the delivered figure's shape, so that others can hold it to that. */
export interface Stated {
  /** Width (X), height (Y) and depth (Z) at rest, millimetres; null where nothing is drawn. */
  sizeMm: [number, number, number] | null;
  /** What each morph moves at full weight: vertices by more than a hundredth of a millimetre, and how far the farthest. */
  morphs: StatedMorph[];
}
export interface StatedMorph {
  name: string;
  vertices: number;
  farthestMm: number;
  /** Vertices that move by so nearly a hundredth that another loader's rounding decides. */
  undecided?: number;
}

/** A hundredth of a millimetre, metres. */
const MOVES = 1e-5;
/** Single precision at a man's height is a hundredth of that; blending adds some. */
const ROUNDING = 0.05 * MOVES;

/**
 * Size and morphs of a figure as it stands, by our own arithmetic.
 * @param blur metres that storing may change what a morph moves by
 */
export function statedOf(document: Document, blur = 0): Stated {
  const deformer = createDeformer(document),
    at = deformer.evaluate(new Float32Array(deformer.vertices * 3));
  const low = [Infinity, Infinity, Infinity],
    high = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < at.length; i++) {
    const k = i % 3;
    if (at[i] < low[k]) low[k] = at[i];
    if (at[i] > high[k]) high[k] = at[i];
  }
  return {
    sizeMm: deformer.vertices
      ? (low.map((least, k) => rounded((high[k] - least) * 1000)) as [number, number, number])
      : null,
    morphs: listMorphNames(document).map((name) => {
      const { vertices, farthest } = deformer.reachOf(name, MOVES),
        undecided =
          deformer.reachOf(name, Math.max(0, MOVES - ROUNDING - blur)).vertices -
          deformer.reachOf(name, MOVES + ROUNDING + blur).vertices;
      return { name, vertices, farthestMm: rounded(farthest * 1000), ...(undecided ? { undecided } : {}) };
    }),
  };
}

const rounded = (mm: number): number => Math.round(mm * 1000) / 1000;
