import { type Part, trianglesOf } from '../character/index.ts';
import { apart, createUnions, hangingTogether, weldByPlace } from '../geometry/index.ts';
import type { Stencils } from './stencil.ts';

/** Vertices of a strand within this of its nearest one to the skin sit on it, metres. */
const ROOT = 5e-4;
/** A piece that sits on the skin with more vertices than this is no strand. */
const MANY_ROOTS = 200;

/**
 * Of lashes that sit on the skin, those that really stand there. At the ends of a lid tips and middles go through it, so roots
 * are what sits on the longest run along the border of a piece.
 */
function lashRoots(sits: Uint8Array, indices: Uint32Array, pointOf: Uint32Array): void {
  const uses = new Map<number, number>(),
    edges: [number, number][] = [],
    keyOf = ([a, b]: [number, number]) => Math.min(a, b) * pointOf.length + Math.max(a, b);
  for (let t = 0; t + 2 < indices.length; t += 3)
    for (let c = 0; c < 3; c++) {
      const edge: [number, number] = [pointOf[indices[t + c]], pointOf[indices[t + ((c + 1) % 3)]]];
      edges.push(edge);
      uses.set(keyOf(edge), (uses.get(keyOf(edge)) ?? 0) + 1);
    }
  const on = new Set(Array.from(pointOf).filter((_, v) => sits[v])),
    piece = createUnions(pointOf.length),
    runs = createUnions(pointOf.length),
    border = new Set<number>(),
    sizes = new Map<number, number>(),
    longest = new Map<number, number>();
  for (const edge of edges) {
    piece.join(...edge);
    if (uses.get(keyOf(edge)) !== 1) continue;
    for (const point of edge) border.add(point);
    if (edge.every((point) => on.has(point))) runs.join(...edge);
  }
  for (const point of on) {
    if (!border.has(point)) continue;
    const size = (sizes.get(runs.of(point)) ?? 0) + 1;
    sizes.set(runs.of(point), size);
    longest.set(piece.of(point), Math.max(size, longest.get(piece.of(point)) ?? 0));
  }
  pointOf.forEach((point, v) => {
    const size = border.has(point) ? (sizes.get(runs.of(point)) ?? 0) : 0;
    if (size * 2 < (longest.get(piece.of(point)) ?? 0)) sits[v] = 0;
  });
}

/** Every piece of a part goes with the skin that its roots sit on: a tip may be nearer to another. */
export function goWithRoots(
  on: Stencils & { takes: Float32Array },
  away: Float32Array,
  { prim, kind }: Part,
  rest: Float32Array,
): void {
  const indices = trianglesOf(prim);
  const { points, pointOf } = weldByPlace(rest),
    piece = hangingTogether(indices, pointOf, points),
    nearest = new Map<number, number>(),
    roots = new Map<number, number[]>(),
    sits = new Uint8Array(piece.length);
  for (let v = 0; v < piece.length; v++)
    if (away[v] < (nearest.get(piece[v]) ?? Infinity)) nearest.set(piece[v], away[v]);
  for (let v = 0; v < piece.length; v++) sits[v] = away[v] <= (nearest.get(piece[v]) ?? -1) + ROOT ? 1 : 0;
  if (kind === 'lash') lashRoots(sits, indices, pointOf);
  for (let v = 0; v < piece.length; v++) {
    if (!sits[v]) continue;
    const list = roots.get(piece[v]);
    if (list) list.push(v);
    else roots.set(piece[v], [v]);
  }
  for (let v = 0; v < piece.length; v++) {
    const among = roots.get(piece[v]);
    if (!among || sits[v] || among.length > MANY_ROOTS) continue;
    let root = among[0];
    for (const u of among) if (apart(rest, u, v) < apart(rest, root, v)) root = u;
    for (let k = 0; k < 3; k++) {
      on.corner[v * 3 + k] = on.corner[root * 3 + k];
      on.share[v * 3 + k] = on.share[root * 3 + k];
    }
    on.takes[v] = on.takes[root];
  }
}
