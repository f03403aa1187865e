import { TriangleTree } from '../geometry/index.ts';
import type { FigureLoop } from '../targets/index.ts';
import { loopOn, namedLoops, pathThrough, placesOfLoop, type Skin, skinOf, skinOpenness } from '../wrap/index.ts';
import { type OpenedFigure, standing } from './open-figure.ts';
import { refuseBody } from './refuse.ts';

/** Places of loops are kept to a hundredth of a millimetre. */
const FINE = 1e5;

/** Loops of a skin as a figure keeps them: by place, so that they outlast another order of its vertices. */
export const loopsOfSkin = (skin: Skin, stop?: () => void): FigureLoop[] =>
  namedLoops(skin, skinOpenness(skin, stop)).map(({ name, loop, holds }) => ({
    name,
    at: Array.from(placesOfLoop(loop, skin.mesh.places), (x) => Math.round(x * FINE) / FINE),
    holds,
  }));

/** A figure's skin where its loops are drawn on it. */
export interface LoopSurface {
  places: Float32Array;
  corners: Uint32Array;
  /** Loops found by its shape. */
  find(): FigureLoop[];
  /** The shortest way over its edges through some places (xyz each), at those that are nearest; null where it hangs together nowhere. */
  way(through: readonly number[]): number[] | null;
}

/** @throws ProblemError fit.body where the figure has no whole skin */
export function loopSurface({ document, name }: OpenedFigure): LoopSurface {
  const skin = skinOf(standing(document)),
    { mesh } = skin;
  refuseBody(skin, name);
  const tree = new TriangleTree(mesh.places, mesh.corners),
    nearest = (x: number, y: number, z: number): number => {
      tree.closest(x, y, z);
      const { triangle, v, w } = tree.hit,
        shares = [1 - v - w, v, w];
      return mesh.corners[triangle * 3 + shares.indexOf(Math.max(...shares))];
    };
  return {
    places: mesh.places,
    corners: mesh.corners,
    find: () => loopsOfSkin(skin),
    way(through) {
      const points = Array.from({ length: through.length / 3 }, (_, i) =>
        nearest(through[i * 3], through[i * 3 + 1], through[i * 3 + 2]),
      );
      return pathThrough(mesh, points)?.flatMap((p) => [...mesh.places.subarray(p * 3, p * 3 + 3)]) ?? null;
    },
  };
}

/** A skin with the loops that its figure says; where it says none they are found by shape. */
export function withLoops(skin: Skin, said: readonly FigureLoop[] | undefined): Skin {
  if (!said) return skin;
  const { mesh } = skin,
    tree = new TriangleTree(mesh.places, mesh.corners);
  return { ...skin, loops: said.map(({ name, at, holds }) => ({ name, holds, loop: loopOn(mesh, tree, at) })) };
}
