import type { Document } from '@gltf-transform/core';
import {
  createDeformer,
  facingOf,
  type Ground,
  groundOf,
  heightAbove,
  isHair,
  isUnderStrands,
  type Part,
} from '../character/index.ts';
import { LOOKED, unit, weldByPlace } from '../geometry/index.ts';
import { hitOf, type Moved, Moves, NOTHING_MOVED, placeOn, type Point, putMoved } from './moves.ts';

/** Left between strands and what they lie on, metres: enough for a depth buffer. */
const CLEAR = 3e-4;
/** Less is left as it is, metres. */
const SLIGHT = 2e-5;
/** Nothing is moved by more, metres: beyond that a card would float beside its neighbours. */
const MOST = 4e-3;
/** What lay farther off isn't the same strands any more, metres. */
const NEAR = 8e-3;
const ROUNDS = 6;

const isStrands = ({ kind }: Part): boolean => isHair(kind);

/** Strands and what they lie on, as they are at some time. */
export interface OnGround {
  strands: Ground;
  ground: Ground;
}

/** How strands lie before anything is reduced; null where there are none, or nothing under them. */
export function lookOnGround(document: Document): OnGround | null {
  const strands = standing(document, isStrands).ground,
    { ground } = standing(document, isUnderStrands);
  return strands && ground && { strands, ground };
}

/** Some parts as they stand at rest, apart from all others: strands may begin at the very place of a vertex of the skin. */
function standing(document: Document, which: (part: Part) => boolean) {
  const deformer = createDeformer(document, which, false),
    positions = deformer.evaluate(new Float32Array(deformer.vertices * 3));
  return { deformer, positions, ground: groundOf(deformer, positions, which) };
}

/**
 * A card of fewer segments cuts into head and scalp where they bend, and there they show through the hair. Its corners are
 * lifted, by the smallest movement that does it, until what lay above them before does so again. Roots under the skin and
 * strands that run through an ear stay there.
 * @param before as they lay
 * @returns vertices that were lifted, and by how much at most, millimetres
 */
export function liftStrands(document: Document, before: OnGround): Moved {
  const { deformer, positions: now, ground: strands } = standing(document, isStrands),
    { ground } = standing(document, isUnderStrands);
  if (!strands || !ground) return NOTHING_MOVED;
  const rest = now.slice(),
    { pointOf } = weldByPlace(now);
  for (let round = 0; round < ROUNDS; round++) {
    const moves = new Moves(pointOf, MOST);
    // The strands' own tree is never asked: only the ground has to stay as it is.
    askToLift({ strands, ground }, before, moves);
    if (!moves.byPoint.size) break;
    moves.apply(now, rest);
  }
  return putMoved(document, deformer, rest, now);
}

function askToLift({ strands, ground }: OnGround, before: OnGround, moves: Moves): void {
  for (let t = 0; t < strands.corners.length; t += 3)
    for (const shares of LOOKED) {
      const place = placeOn(strands, t, shares),
        height = heightAbove(ground, ...place);
      if (height >= CLEAR) continue;
      const was = heightBefore(before, place),
        missing = Math.min(CLEAR, was) - height;
      if (was <= 0 || missing <= SLIGHT) continue;
      const up = unit(facingOf(ground, ground.tree.hit.triangle));
      moves.ask([strands.corners[t], strands.corners[t + 1], strands.corners[t + 2]], shares, missing, up);
    }
}

/** How high the strands stood where they lay nearest to a place, metres; below everything where there were none. */
function heightBefore({ strands, ground }: OnGround, [x, y, z]: Readonly<Point>): number {
  return strands.tree.closest(x, y, z) > NEAR ? -Infinity : heightAbove(ground, ...hitOf(strands));
}
