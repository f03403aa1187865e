import { TriangleTree } from '../geometry/index.ts';
import type { FigureLoop } from '../targets/index.ts';
import { loopOn, namedLoops, placesOfLoop, type Skin, skinOpenness } from '../wrap/index.ts';

/** Places of loops are kept to a hundredth of a millimetre. */
const FINE = 1e5;

/** Loops of a skin as a figure keeps them: by place, so that they outlast another order of its vertices. */
export const loopsOfSkin = (skin: Skin, stop?: () => void): FigureLoop[] =>
  namedLoops(skin, skinOpenness(skin, stop)).map(({ name, loop, holds }) => ({
    name,
    at: Array.from(placesOfLoop(loop, skin.mesh.places), (x) => Math.round(x * FINE) / FINE),
    holds,
  }));

/** A skin with the loops that its figure says; where it says none they are found by shape. */
export function withLoops(skin: Skin, said: readonly FigureLoop[] | undefined): Skin {
  if (!said) return skin;
  const { mesh } = skin,
    tree = new TriangleTree(mesh.places, mesh.corners);
  return { ...skin, loops: said.map(({ name, at, holds }) => ({ name, holds, loop: loopOn(mesh, tree, at) })) };
}
