import type { Document } from '@gltf-transform/core';
import { FacingTree } from '../geometry/index.ts';
import type { FigureLoop } from '../targets/index.ts';
import {
  loopOn,
  namedLoops,
  pathThrough,
  placeOnSkin,
  placesOfLoop,
  type Skin,
  skinOf,
  skinOpenness,
} from '../wrap/index.ts';
import type { OpenedFigure } from './open-figure.ts';
import { refuseBody } from './refuse.ts';

/** Places of loops are kept to a hundredth of a millimetre, directions to a hundredth. */
const FINE = 1e5;
const COARSE = 100;
const rounded = (values: ArrayLike<number>, by: number): number[] => Array.from(values, (x) => Math.round(x * by) / by);

/** Loops of a skin as a figure keeps them: by place, so that they outlast another order of its vertices. */
export const loopsOfSkin = (skin: Skin, stop?: () => void): FigureLoop[] =>
  namedLoops(skin, skinOpenness(skin, stop)).map(({ name, loop, holds }) => ({
    name,
    at: rounded(placesOfLoop(loop, skin.mesh.places), FINE),
    facing: rounded(placesOfLoop(loop, skin.mesh.normals), COARSE),
    holds,
  }));

/** Places in turn, xyz each, and where the skin faces there; zeros where nobody says. */
export type LoopPath = Required<Pick<FigureLoop, 'at' | 'facing'>>;

/** A figure's skin as it lies in its file, where its loops are drawn on it. */
export interface LoopSurface {
  places: Float32Array;
  corners: Uint32Array;
  /** Loops found by its shape. */
  find(): FigureLoop[];
  /** The shortest way over its edges through some places, at those that are nearest; null where they don't hang together. */
  way(through: LoopPath): LoopPath | null;
}

/** @throws ProblemError fit.body where the figure has no whole skin */
export function loopSurface({ document, name }: OpenedFigure): LoopSurface {
  const skin = skinOf(document),
    { mesh } = skin;
  refuseBody(skin, name);
  const tree = new FacingTree(mesh.places, mesh.corners),
    nearest = ({ at, facing }: LoopPath, i: number): number => {
      const { triangle, v, w } = placeOnSkin(tree, at, facing, i),
        shares = [1 - v - w, v, w];
      return mesh.corners[triangle * 3 + shares.indexOf(Math.max(...shares))];
    },
    of = (values: Float32Array, points: readonly number[]) =>
      points.flatMap((p) => [...values.subarray(p * 3, p * 3 + 3)]);
  return {
    places: mesh.places,
    corners: mesh.corners,
    find: () => loopsOfSkin(skin),
    way(through) {
      const points = pathThrough(
        mesh,
        Array.from({ length: through.at.length / 3 }, (_, i) => nearest(through, i)),
      );
      return (
        points && { at: rounded(of(mesh.places, points), FINE), facing: rounded(of(mesh.normals, points), COARSE) }
      );
    },
  };
}

/**
 * A figure's skin as it stands, with the loops that it says; where it says none they are found by shape. Loops are said where
 * the skin lies in its own file, which may lie elsewhere than it stands. Those that lie nowhere on it are named.
 */
export function standingSkin(
  figure: Document,
  { document, loops: said }: OpenedFigure,
): { skin: Skin; astray: string[] } {
  const skin = skinOf(figure),
    astray: string[] = [];
  if (!said || !skin.mesh.corners.length) return { skin, astray };
  const { mesh } = skinOf(document),
    tree = new FacingTree(mesh.places, mesh.corners),
    onStanding = (points: Uint32Array) => points.map((p) => skin.mesh.pointOf[mesh.vertexOf[p]]);
  const loops = said.flatMap(({ name, at, facing, holds }) => {
    const loop = loopOn(mesh, tree, at, facing),
      places = placesOfLoop(loop, mesh.places),
      off = Math.sqrt(places.reduce((sum, x, k) => sum + (x - at[k]) ** 2, 0) / loop.from.length);
    if (off > ASTRAY) {
      astray.push(name);
      return [];
    }
    return { name, holds, loop: { from: onStanding(loop.from), to: onStanding(loop.to), share: loop.share } };
  });
  return { skin: { ...skin, loops }, astray };
}
/** Loops farther than this off the skin, RMS in metres, are another's: a wrap is better without. */
const ASTRAY = 0.004;
