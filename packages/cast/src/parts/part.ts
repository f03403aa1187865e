import { fromHead } from '../body/joints.ts';
import type { Bound } from '../body/weights.ts';
import type { EXPRESSIONS } from '../expressions.ts';
import { step } from '../head/curves.ts';
import type { Head } from '../head/build.ts';
import type { Cards } from '../hair.ts';
import { withUv, type Surface } from '../surface.ts';

/** One part of a figure, ready to be written. */
export interface FigurePart {
  name: string;
  material: string;
  surface: Surface;
  bound: Bound;
  /** Position deltas by morph name, one xyz per vertex of `surface`. */
  morphs: Map<string, Float32Array>;
  /** Values per vertex for painting. */
  extra: Float32Array[];
}
/** The head as each expression leaves it. */
export type Changed = readonly { expression: (typeof EXPRESSIONS)[number]; head: Head }[];
export type JointIndex = ReadonlyMap<string, number>;

/** Everything on one joint. */
export const single = (count: number, joint: number): Bound => {
  const b: Bound = { perVertex: 4, joints: new Uint16Array(count * 4), weights: new Float32Array(count * 4) };
  for (let v = 0; v < count; v++) {
    b.joints[v * 4] = joint;
    b.weights[v * 4] = 1;
  }
  return b;
};

/** From the head's millimetres to the figure's metres, three numbers a point. */
export function flat(points: readonly (readonly number[])[]): Float32Array {
  const out = new Float32Array(points.length * 3);
  points.forEach((p, i) => out.set(fromHead(p), i * 3));
  return out;
}

/** Influences for the vertices of a surface that were split along its seams. */
export function follow(bound: Bound, surface: Surface): Bound {
  const out: Bound = {
    perVertex: bound.perVertex,
    joints: new Uint16Array(surface.origin.length * bound.perVertex),
    weights: new Float32Array(surface.origin.length * bound.perVertex),
  };
  surface.origin.forEach((from, v) => {
    for (let k = 0; k < bound.perVertex; k++) {
      out.joints[v * bound.perVertex + k] = bound.joints[from * bound.perVertex + k];
      out.weights[v * bound.perVertex + k] = bound.weights[from * bound.perVertex + k];
    }
  });
  return out;
}

/** A morph of one side fades over a few millimetres across the middle, so that both sides add up to the whole. */
export function sideShare(x: number, side: 'l' | 'r' | undefined): number {
  if (!side) return 1;
  const left = step(-3, 3, x);
  return side === 'l' ? left : 1 - left;
}

export function cardsPart(name: string, material: string, cards: Cards, bound: (count: number) => Bound): FigurePart {
  const surface = withUv(cards.positions, cards.triangles, cards.uv);
  return { name, material, surface, bound: bound(surface.origin.length), morphs: new Map(), extra: [] };
}

/** Morphs of what is laid over the head anew for every expression. */
export function morphCards(
  part: FigurePart,
  changed: Changed,
  make: (head: Head) => Cards,
  wanted: (name: string) => boolean,
): FigurePart {
  for (const { expression, head } of changed) {
    if (!wanted(expression.name)) continue;
    const other = make(head).positions;
    const delta = new Float32Array(part.surface.positions.length);
    for (let i = 0; i < delta.length; i++) {
      const d =
        (other[i] - part.surface.positions[i]) * sideShare(part.surface.positions[i - (i % 3)] * 1000, expression.side);
      delta[i] = Math.abs(d) < 2e-6 ? 0 : d;
    }
    if (delta.some((d) => d !== 0)) part.morphs.set(expression.name, delta);
  }
  return part;
}

/** Places of a mesh turned about the jaw's joint as the expression opens it, as differences. */
export function withJaw(positions: ArrayLike<number>, open: number): Float32Array {
  const angle = open * 0.3,
    c = Math.cos(angle),
    n = Math.sin(angle),
    pivot = fromHead([0, 92, 8]);
  const delta = new Float32Array(positions.length);
  for (let i = 0; i < delta.length; i += 3) {
    const y = positions[i + 1] - pivot[1],
      z = positions[i + 2] - pivot[2];
    delta[i + 1] = y * c - z * n - y;
    delta[i + 2] = y * n + z * c - z;
  }
  return delta;
}
