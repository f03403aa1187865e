import { type Eyeball, far } from '../character/index.ts';
import { type Quat, quatBetween, quatRotate, unit, type Vec3 } from '../geometry/index.ts';
import type { Ground, OnSkin } from './on-skin.ts';
import { combined } from './stencil.ts';

/** Lashes this near to each other swing much alike, metres. */
const TOGETHER = 0.02;
/** Skin this near to an eyeball, in its radius, is its lids. */
const LIDS = 2.5;

/** A root of lashes: where it sits, how far that goes, and how the lid turns as it rolls over the ball. */
interface Root {
  at: Vec3;
  goes: number;
  turn: Quat;
}

/**
 * Lets lashes turn with their lid, added to `out`: a lid that closes rolls over its eyeball and swings them down. The ends of a
 * lid hardly go, so roots that go far speak for those beside them. Without eyeballs lashes keep their direction.
 * @param out @param own movement and place at rest of the part's vertices, xyz
 */
export function turnWithLids(
  out: Float32Array,
  own: Float32Array,
  on: OnSkin,
  rest: Float32Array,
  { moved, ground }: { moved: Float32Array; ground: Ground },
): void {
  if (!ground.balls.length) return;
  const roots = new Map<string, Root>(),
    turned = new Map<string, Quat>();
  on.takes.forEach((takes, v) => {
    const key = keyOf(on, v),
      root = takes && !roots.has(key) ? rootAt(on, v, rest, moved, ground.balls) : null;
    if (root) roots.set(key, root);
  });
  for (const [key, { at }] of roots) turned.set(key, meanTurn(at, roots));
  on.takes.forEach((takes, v) => {
    const key = keyOf(on, v),
      turn = turned.get(key),
      root = roots.get(key);
    if (!turn || !root) return;
    const off: Vec3 = [own[v * 3] - root.at[0], own[v * 3 + 1] - root.at[1], own[v * 3 + 2] - root.at[2]];
    quatRotate(turn, off).forEach((x, k) => {
      out[v * 3 + k] += (x - off[k]) * takes;
    });
  });
}

/** One place on the skin, however many vertices stand on it. */
const keyOf = ({ corner, share }: OnSkin, v: number): string =>
  `${corner.subarray(v * 3, v * 3 + 3)} ${share.subarray(v * 3, v * 3 + 3)}`;

function rootAt(
  on: OnSkin,
  v: number,
  rest: Float32Array,
  moved: Float32Array,
  balls: readonly Eyeball[],
): Root | null {
  const at = Array.from(combined(new Float64Array(3), on, v, rest)) as Vec3,
    go = combined(new Float64Array(3), on, v, moved),
    ball = balls.find(({ middle, radius }) => far(at, middle) < LIDS * radius);
  if (!ball) return null;
  const from = at.map((x, k) => x - ball.middle[k]) as Vec3,
    to = from.map((x, k) => x + go[k]) as Vec3;
  return { at, goes: go[0] ** 2 + go[1] ** 2 + go[2] ** 2, turn: quatBetween(unit(from), unit(to)) };
}

/** Mean of the turns around a place, by how far they go; none where nothing goes. */
function meanTurn(at: Vec3, roots: ReadonlyMap<string, Root>): Quat {
  // What hardly moves stays as it is.
  const sum = [0, 0, 0, 1e-9];
  for (const root of roots.values()) {
    const weight = root.goes / (1 + (far(at, root.at) / TOGETHER) ** 2) ** 2;
    for (let k = 0; k < 4; k++) sum[k] += weight * root.turn[k];
  }
  const length = Math.hypot(...sum);
  return sum.map((value) => value / length) as Quat;
}
