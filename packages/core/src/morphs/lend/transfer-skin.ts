import { cotangentAt, type SparseFactor } from '../../geometry/index.ts';
import type { SkinMesh } from '../mix/skin-mesh.ts';
import { trustIn } from './trust-in.ts';

/** A surface whose triangles are known on two figures: the one that moves, and the one that shall. */
export interface Transfer {
  skin: SkinMesh;
  /** Triangles of the skin, three vertices of the own figure each. */
  triangles: Uint32Array;
  /** xyz by vertex: the own figure at rest, and where its vertices are on the other. */
  rest: Float32Array;
  places: Float32Array;
}

/**
 * Deformation transfer (Sumner & Popović 2004) in its Poisson form (Botsch et al. 2006), screened: every triangle shall be
 * turned and stretched as its counterpart is when the other figure moves, and every point shall go about as far as there,
 * Σ cot |dᵢ − dⱼ − (S − I)(tᵢ − tⱼ)|² over the sides of all triangles + Σ hᵢ |dᵢ − mᵢ|². Turning alone says nothing of how
 * far a jaw drops, and its errors would run over the whole face. Sides of a triangle whose counterpart is no likeness of it
 * change as the other's do, by mᵢ − mⱼ.
 * @param moved m, how far the other's surface goes at each own vertex in the own figure's size, xyz
 * @param scale own size over the other's
 * @param held h by point of the skin
 * @param solver of the skin's edges with h on its diagonal
 * @returns how far each point of the skin goes, three lists by axis
 */
export function transferSkin(
  { skin, triangles, rest, places }: Transfer,
  moved: Float32Array,
  scale: number,
  held: Float64Array,
  solver: SparseFactor,
): Float64Array[] {
  const b = [0, 1, 2].map(() => new Float64Array(skin.points)),
    gradient = new Float64Array(9),
    { pointOf } = skin;
  for (let t = 0; t < triangles.length; t += 3) {
    const [u, v, w] = [triangles[t], triangles[t + 1], triangles[t + 2]];
    if (!stirs(moved, u) && !stirs(moved, v) && !stirs(moved, w)) continue;
    const trust =
      trustIn(rest, places, scale, u, v, w) * (changeOf(gradient, places, moved, 1 / scale, u, v, w) ? 1 : 0);
    for (const [i, j, across] of [
      [u, v, w],
      [v, w, u],
      [w, u, v],
    ])
      addSide(b, gradient, { rest, moved, pointOf, trust }, i, j, across);
  }
  b.forEach((axis, k) => {
    for (let i = 0; i < skin.points; i++) axis[i] += held[i] * moved[skin.vertexOf[i] * 3 + k];
    solver.solve(axis);
  });
  return b;
}

const stirs = (moved: Float32Array, v: number): boolean =>
  moved[v * 3] !== 0 || moved[v * 3 + 1] !== 0 || moved[v * 3 + 2] !== 0;

/** What one side of a triangle, from a to b across from c, is wanted to change by. */
function addSide(
  out: readonly Float64Array[],
  s: Float64Array,
  { rest, moved, pointOf, trust }: { rest: Float32Array; moved: Float32Array; pointOf: Int32Array; trust: number },
  a: number,
  b: number,
  c: number,
): void {
  const weight = 0.5 * cotangentAt(rest, a, b, c),
    [i, j] = [pointOf[a], pointOf[b]],
    x = rest[a * 3] - rest[b * 3],
    y = rest[a * 3 + 1] - rest[b * 3 + 1],
    z = rest[a * 3 + 2] - rest[b * 3 + 2];
  if (i === j) return;
  for (let k = 0; k < 3; k++) {
    const turned = trust && trust * (s[k * 3] * x + s[k * 3 + 1] * y + s[k * 3 + 2] * z),
      wanted = weight * (turned + (1 - trust) * (moved[a * 3 + k] - moved[b * 3 + k]));
    out[k][i] += wanted;
    out[k][j] -= wanted;
  }
}

/**
 * What a triangle's own movement does to directions, less what leaves them: row by row, S − I with S from its two sides and
 * its normal over the root of its length, which stretches as they do. @returns false for a triangle without area
 */
function changeOf(
  out: Float64Array,
  p: Float32Array,
  moved: Float32Array,
  scale: number,
  a: number,
  b: number,
  c: number,
): boolean {
  const before = sidesOf(p, moved, 0, a, b, c),
    after = sidesOf(p, moved, scale, a, b, c);
  if (!before || !after) return false;
  const [e, f, n] = before,
    det = e[0] * (f[1] * n[2] - f[2] * n[1]) - f[0] * (e[1] * n[2] - e[2] * n[1]) + n[0] * (e[1] * f[2] - e[2] * f[1]);
  if (!(Math.abs(det) > 0)) return false;
  // Rows of the inverse of [e f n].
  const inverse = [cross(f, n), cross(n, e), cross(e, f)].map((row) => row.map((x) => x / det));
  for (let r = 0; r < 3; r++)
    for (let k = 0; k < 3; k++)
      out[r * 3 + k] =
        after[0][r] * inverse[0][k] + after[1][r] * inverse[1][k] + after[2][r] * inverse[2][k] - (r === k ? 1 : 0);
  return true;
}

type Three = [number, number, number];
const cross = (a: Three, b: Three): Three => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
];

/** Two sides of a triangle and its normal over the root of its length; null without area. */
function sidesOf(
  p: Float32Array,
  moved: Float32Array,
  share: number,
  a: number,
  b: number,
  c: number,
): [Three, Three, Three] | null {
  const at = (v: number, k: number) => p[v * 3 + k] + share * moved[v * 3 + k],
    side = (v: number): Three => [at(v, 0) - at(a, 0), at(v, 1) - at(a, 1), at(v, 2) - at(a, 2)],
    [e, f] = [side(b), side(c)],
    n = cross(e, f),
    root = Math.sqrt(Math.hypot(n[0], n[1], n[2]));
  return root > 1e-9 ? [e, f, [n[0] / root, n[1] / root, n[2] / root]] : null;
}
