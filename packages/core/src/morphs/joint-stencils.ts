import type { Document } from '@gltf-transform/core';
import {
  type JointRole,
  type Deformer,
  influencesOf,
  isFaceRole,
  jointPosition,
  type Skeleton,
} from '../character/index.ts';
import { jointRoles } from '../rig/index.ts';
import { expOf } from '../geometry/index.ts';
import { standing, type Standing } from './standing.ts';

/** For each joint an affine combination of vertices that gives its place; one behind the other. */
export interface JointStencils {
  /** Those of joint j stand at `start[j]` … `start[j + 1]`; none where no vertex follows it or a neighbour of it. */
  start: Uint32Array;
  /** Vertex of the deformer. */
  vertex: Uint32Array;
  /** Sums to one. */
  share: Float64Array;
}

/** Influences below this don't make a vertex one of the joint's. */
const FOLLOWS = 0.05;
/** How far around a joint vertices are asked, in distances to its nearest one, and how fast their word fades. */
const REACH = 3,
  FADES = 1.5;

/**
 * Where joints are among the vertices around them, learned from a figure at rest: after the joint regressors of
 * statistical body models, here by moving least squares (Levin 1998): shares aᵢ = kᵢ (λ·[pᵢ, 1]), kᵢ fading with distance,
 * with Σ aᵢ = 1 and Σ aᵢ pᵢ the joint. Of vertices that follow the joint, the one above it or one below it. Whatever
 * stretches, turns or shears the flesh around a joint takes the joint along exactly.
 * @param rest the deformer's positions at rest, metres
 * @param roles of the skeleton's joints: what a jaw or an eye moves says nothing of where the head's joint is
 */
export function jointStencils(deformer: Deformer, rest: Float32Array, roles: readonly string[]): JointStencils {
  const { skeleton } = deformer,
    around = verticesAround(deformer, roles),
    start = new Uint32Array(skeleton.joints.length + 1),
    vertices: number[] = [],
    shares: number[] = [];
  skeleton.joints.forEach((_, j) => {
    stencilOf(around[j], jointPosition(skeleton, j), rest, vertices, shares);
    start[j + 1] = vertices.length;
  });
  return { start, vertex: Uint32Array.from(vertices), share: Float64Array.from(shares) };
}

interface Around {
  vertices: number[];
  /** How much of each follows the joint or a neighbour of it, 0 … 1. */
  follows: number[];
}
/** Vertices that follow each joint, its parent or one of its children. */
function verticesAround(deformer: Deformer, roles: readonly string[]): Around[] {
  const { skeleton, ranges } = deformer,
    own: { vertex: number; weight: number }[][] = skeleton.joints.map(() => []);
  for (const { part, firstVertex } of ranges) {
    const skin = part.node.getSkin(),
      influences = skin && influencesOf(part.prim);
    if (!skin || !influences) continue;
    const at = skin.listJoints().map((joint) => skeleton.index.get(joint) ?? 0),
      { perVertex, joints, weights } = influences;
    for (let k = 0; k < weights.length; k++)
      if (weights[k] >= FOLLOWS)
        own[at[joints[k]]].push({ vertex: firstVertex + Math.floor(k / perVertex), weight: weights[k] });
  }
  return skeleton.joints.map((_, j) => {
    const sums = new Map<number, number>();
    for (const other of [j, ...relatives(skeleton, roles, j)])
      for (const { vertex, weight } of own[other]) sums.set(vertex, (sums.get(vertex) ?? 0) + weight);
    const vertices = [...sums.keys()].sort((a, b) => a - b);
    return { vertices, follows: vertices.map((vertex) => sums.get(vertex) as number) };
  });
}

const relatives = ({ parent }: Skeleton, roles: readonly string[], j: number): number[] => {
  const out = parent[j] >= 0 ? [parent[j]] : [];
  for (let i = j + 1; i < parent.length; i++) if (parent[i] === j && !isFaceRole(roles[i])) out.push(i);
  return out;
};

function stencilOf(
  { vertices: around, follows }: Around,
  [x, y, z]: readonly [number, number, number],
  rest: Float32Array,
  vertices: number[],
  shares: number[],
): void {
  let nearest = Infinity;
  const away = around.map((v) => {
    const d = Math.hypot(rest[v * 3] - x, rest[v * 3 + 1] - y, rest[v * 3 + 2] - z);
    if (d < nearest) nearest = d;
    return d;
  });
  if (!(nearest < Infinity)) return;
  const reach = Math.max(nearest, 1e-4) * REACH,
    fades = Math.max(nearest, 1e-4) * FADES,
    m = new Float64Array(16),
    rows: { v: number; k: number; p: [number, number, number, number] }[] = [];
  around.forEach((v, i) => {
    if (away[i] > reach) return;
    const p = [(rest[v * 3] - x) / fades, (rest[v * 3 + 1] - y) / fades, (rest[v * 3 + 2] - z) / fades, 1] as [
        number,
        number,
        number,
        number,
      ],
      k = follows[i] ** 2 * expOf(-((away[i] / fades) ** 2));
    rows.push({ v, k, p });
    for (let r = 0; r < 4; r++) for (let c = 0; c < 4; c++) m[r * 4 + c] += k * p[r] * p[c];
  });
  // A flat patch says nothing across itself: a trace of stiffness keeps the joint beside it there.
  for (let r = 0; r < 3; r++) m[r * 5] += 1e-4 * m[15];
  const lambda = solve4(m, [0, 0, 0, 1]);
  let sum = 0;
  const first = shares.length;
  for (const { v, k, p } of rows) {
    const a = k * (lambda[0] * p[0] + lambda[1] * p[1] + lambda[2] * p[2] + lambda[3]);
    vertices.push(v);
    shares.push(a);
    sum += a;
  }
  for (let i = first; i < shares.length; i++) shares[i] /= sum;
}

/** Solves four equations by elimination with pivots; the matrix is row by row. */
function solve4(m: Float64Array, b: readonly number[]): Float64Array {
  const a = m.slice(),
    x = Float64Array.from(b);
  for (let c = 0; c < 4; c++) {
    let pivot = c;
    for (let r = c + 1; r < 4; r++) if (Math.abs(a[r * 4 + c]) > Math.abs(a[pivot * 4 + c])) pivot = r;
    for (let k = 0; k < 4; k++) [a[c * 4 + k], a[pivot * 4 + k]] = [a[pivot * 4 + k], a[c * 4 + k]];
    [x[c], x[pivot]] = [x[pivot], x[c]];
    for (let r = 0; r < 4; r++) {
      if (r === c || !a[c * 4 + c]) continue;
      const f = a[r * 4 + c] / a[c * 4 + c];
      for (let k = c; k < 4; k++) a[r * 4 + k] -= f * a[c * 4 + k];
      x[r] -= f * x[c];
    }
  }
  return x.map((value, i) => (a[i * 5] ? value / a[i * 5] : 0));
}

/**
 * How far each joint goes when the vertices move, xyz a joint, metres. One without vertices goes along with the one above it.
 * @param moved movement of every vertex of the deformer, xyz
 */
export function jointShifts(
  { start, vertex, share }: JointStencils,
  skeleton: Skeleton,
  moved: Float32Array,
): Float64Array {
  const out = new Float64Array(skeleton.joints.length * 3);
  for (let j = 0; j < skeleton.joints.length; j++) {
    if (start[j] === start[j + 1]) {
      const above = skeleton.parent[j];
      if (above >= 0) for (let k = 0; k < 3; k++) out[j * 3 + k] = out[above * 3 + k];
      continue;
    }
    for (let i = start[j]; i < start[j + 1]; i++)
      for (let k = 0; k < 3; k++) out[j * 3 + k] += share[i] * moved[vertex[i] * 3 + k];
  }
  return out;
}

/** A figure at rest, with where its joints are among its vertices. */
export function learnJoints(document: Document): Standing & { roles: JointRole[]; stencils: JointStencils } {
  const figure = standing(document),
    roles = jointRoles(document, figure.deformer.skeleton).map(({ role }) => role);
  return { ...figure, roles, stencils: jointStencils(figure.deformer, figure.rest, roles) };
}
