import type { Document } from '@gltf-transform/core';
import { listMorphNames } from '../character/index.ts';
import { expOf } from '../geometry/index.ts';
import { jointRoles } from '../rig/index.ts';
import { FEATURES, type Feature } from '../targets/index.ts';
import { type FaceFrame, faceFrame } from './body-regions.ts';
import { movementOf, type Sheet, standing } from './standing.ts';

/** Where a feature is looked for, in distances between the eyes from the point between them, on the left; and the way it goes. */
const PLACES: Readonly<
  Record<Feature, readonly { at: readonly [number, number]; way: readonly [number, number, number] }[]>
> = {
  lid: [{ at: [0.5, 0.1], way: [0, 1, 0] }],
  browInner: [{ at: [0.2, 0.42], way: [0, 1, 0] }],
  browOuter: [{ at: [0.7, 0.45], way: [0, 1, 0] }],
  cornerOut: [{ at: [0.4, -1.12], way: [1, 0, 0] }],
  cornerUp: [{ at: [0.4, -1.12], way: [0, 1, 0] }],
  lipsApart: [
    { at: [0, -1.02], way: [0, 1, 0] },
    { at: [0, -1.24], way: [0, -1, 0] },
  ],
  chinUp: [{ at: [0, -1.7], way: [0, 1, 0] }],
  lipsForward: [{ at: [0, -1.12], way: [0, 0, 1] }],
  cheekOut: [{ at: [0.75, -0.85], way: [0.7, 0, 0.7] }],
  wingUp: [{ at: [0.24, -0.6], way: [0, 1, 0] }],
};
/** How far around a place vertices are asked, in the same measure. */
const WIDE = 0.12;

/** What each morph does at the places of a face: by side, in metres, in the order of {@link FEATURES}. */
export interface FaceMoves {
  left: Float64Array;
  right: Float64Array;
}

/** Null where the figure has no face that could be told. */
export function faceMoves(document: Document): Map<string, FaceMoves> | null {
  const figure = standing(document),
    { deformer, rest } = figure,
    face = faceFrame(deformer, jointRoles(document, deformer.skeleton), rest);
  if (!face) return null;
  const skin = figure.sheets.filter(({ part }) => part.kind === 'skin' || part.kind === 'lips'),
    // What is asked of a morph: a feature of one side, in which direction, at which vertices.
    asks = FEATURES.flatMap((feature, f) =>
      PLACES[feature].flatMap(({ at, way }) =>
        ([1, -1] as const).map((s) => ({ f, s, way, near: nearPlace(skin, rest, face, s * at[0], at[1]) })),
      ),
    ),
    moved = new Float32Array(rest.length),
    out = new Map<string, FaceMoves>();
  for (const name of listMorphNames(document)) {
    const moves: FaceMoves = { left: new Float64Array(FEATURES.length), right: new Float64Array(FEATURES.length) };
    movementOf({ rest, sheets: skin }, name, 'POSITION', moved);
    for (const { f, s, way, near } of asks)
      for (const { vertex, weight } of near) {
        const [x, y, z] = moved.subarray(vertex * 3, vertex * 3 + 3);
        (s > 0 ? moves.left : moves.right)[f] += weight * (s * way[0] * x + way[1] * y + way[2] * z);
      }
    out.set(name, moves);
  }
  return out;
}

/** Vertices of skin near a place of the face, with weights that sum to one. */
function nearPlace(
  skin: readonly Sheet[],
  rest: Float32Array,
  face: FaceFrame,
  x: number,
  y: number,
): { vertex: number; weight: number }[] {
  const list: { vertex: number; weight: number }[] = [];
  let sum = 0;
  for (const { first, vertices } of skin)
    for (let v = first; v < first + vertices; v++) {
      const dx = (rest[v * 3] - face.x) / face.apart - x,
        dy = (rest[v * 3 + 1] - face.y) / face.apart - y,
        square = (dx * dx + dy * dy) / (WIDE * WIDE);
      // The back of the head lies behind the same place.
      if (square >= 6 || rest[v * 3 + 2] <= face.z - 0.3 * face.apart) continue;
      const weight = expOf(-square);
      list.push({ vertex: v, weight });
      sum += weight;
    }
  return list.map(({ vertex, weight }) => ({ vertex, weight: weight / sum }));
}
