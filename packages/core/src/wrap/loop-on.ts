import type { FacingTree } from '../geometry/index.ts';
import type { Loop } from './loops.ts';
import type { Mesh } from './mesh.ts';

/**
 * A loop that somebody gave by places: each node on the edge that is nearest to it.
 * @param at xyz per node
 * @param facing which way the skin faces there, xyz per node: lips that touch are told apart by it; zeros where nobody says
 */
export function loopOn(
  mesh: Pick<Mesh, 'places' | 'corners'>,
  tree: FacingTree,
  at: ArrayLike<number>,
  facing: ArrayLike<number> = [],
): Loop {
  const n = at.length / 3,
    out: Loop = { from: new Uint32Array(n), to: new Uint32Array(n), share: new Float64Array(n) };
  for (let i = 0; i < n; i++) {
    const { triangle, v, w } = placeOnSkin(tree, at, facing, i),
      shares = [1 - v - w, v, w],
      least = shares.indexOf(Math.min(...shares)),
      [a, b] = [(least + 1) % 3, (least + 2) % 3];
    out.from[i] = mesh.corners[triangle * 3 + a];
    out.to[i] = mesh.corners[triangle * 3 + b];
    out.share[i] = shares[b] / (shares[a] + shares[b]);
  }
  return out;
}

/** The place of a skin that is nearest to the i-th of some, and faces its way where that is said. */
export function placeOnSkin(
  tree: FacingTree,
  at: ArrayLike<number>,
  facing: ArrayLike<number>,
  i: number,
): FacingTree['hit'] {
  const o = i * 3,
    [x, y, z] = [at[o], at[o + 1], at[o + 2]],
    [nx, ny, nz] = [facing[o] ?? 0, facing[o + 1] ?? 0, facing[o + 2] ?? 0];
  if ((nx || ny || nz) && tree.closestFacing(x, y, z, nx, ny, nz, FACES, NEAR)) return tree.hit;
  tree.closest(x, y, z);
  return tree.hit;
}
/** Cosine between where a node faces and its polygon does, and how far off that is looked for, metres. */
const FACES = 0.3;
const NEAR = 0.003;
