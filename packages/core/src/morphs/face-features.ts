import type { Document } from '@gltf-transform/core';
import { createDeformer, listMorphNames, type Part } from '../character/index.ts';
import { expOf } from '../geometry/index.ts';
import { jointRoles } from '../rig/index.ts';
import { faceFrame } from './body-regions.ts';
import { FEATURES, type Feature } from '../targets/index.ts';
import { deltaOf } from './deltas.ts';
import { intoCharacter, restFrames } from './frames.ts';

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
  const deformer = createDeformer(document, () => true, false),
    rest = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    face = faceFrame(deformer, jointRoles(document, deformer.skeleton), rest);
  if (!face) return null;
  const skins = deformer.ranges.filter(({ part }) => part.kind === 'skin' || part.kind === 'lips'),
    out = new Map<string, FaceMoves>();
  // Weights of every place on every vertex of skin near it, both sides.
  const asks = FEATURES.flatMap((feature, f) =>
    PLACES[feature].flatMap(({ at, way }) =>
      ([1, -1] as const).map((s) => ({ f, s, way, near: nearPlace(s * at[0], at[1]) })),
    ),
  );
  function nearPlace(x: number, y: number): { part: Part; vertex: number; weight: number }[] {
    const list = skins.flatMap(({ part, firstVertex, vertices }) => {
        const rows: { part: Part; vertex: number; weight: number }[] = [];
        for (let v = 0; v < vertices; v++) {
          const o = (firstVertex + v) * 3,
            dx = (rest[o] - (face?.x ?? 0)) / (face?.apart ?? 1) - x,
            dy = (rest[o + 1] - (face?.y ?? 0)) / (face?.apart ?? 1) - y,
            square = (dx * dx + dy * dy) / (WIDE * WIDE);
          // The back of the head lies behind the same place.
          if (square < 6 && rest[o + 2] > (face?.z ?? 0) - 0.3 * (face?.apart ?? 1))
            rows.push({ part, vertex: v, weight: expOf(-square) });
        }
        return rows;
      }),
      sum = list.reduce((all, { weight }) => all + weight, 0);
    return list.map((row) => ({ ...row, weight: row.weight / sum }));
  }
  const frames = new Map(skins.map(({ part }) => [part, restFrames(part, deformer.skeleton)])),
    d = new Float64Array(3);
  for (const name of listMorphNames(document)) {
    const moves: FaceMoves = { left: new Float64Array(FEATURES.length), right: new Float64Array(FEATURES.length) },
      deltas = new Map(
        skins.map(({ part }) => [part, deltaOf(part.prim.listTargets()[part.morphNames.indexOf(name)], 'POSITION')]),
      );
    for (const { f, s, way, near } of asks)
      for (const { part, vertex, weight } of near) {
        const delta = deltas.get(part);
        if (!delta) continue;
        intoCharacter(
          d,
          frames.get(part) ?? null,
          vertex,
          delta[vertex * 3],
          delta[vertex * 3 + 1],
          delta[vertex * 3 + 2],
        );
        (s > 0 ? moves.left : moves.right)[f] += weight * (s * way[0] * d[0] + way[1] * d[1] + way[2] * d[2]);
      }
    out.set(name, moves);
  }
  return out;
}
