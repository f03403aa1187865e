import { trianglesOf } from '../../character/index.ts';
import { cotangentLaplacian, createUnions, dissectionOrder, TriangleTree } from '../../geometry/index.ts';
import type { Sheet } from '../standing.ts';

/** The skin of a figure as one mesh of points that hang together, whatever parts it is made of. */
export interface SkinMesh {
  points: number;
  /** Point of each vertex of the figure; −1 for what is no skin. */
  pointOf: Int32Array;
  /** A vertex of each point. */
  vertexOf: Uint32Array;
  /** Edges: two points each, and how much an edge says. */
  from: Uint32Array;
  to: Uint32Array;
  weight: Float64Array;
  /** Area around each point, square metres. */
  mass: Float64Array;
  /** Order in which its equations are solved with little to keep. */
  order: Uint32Array;
}

/** Pieces that no triangle joins are tied at the places where they are nearest, as many as this. */
const TIES = 64;

/** @param rest xyz of every vertex of the figure, metres */
export function skinMesh(rest: Float32Array, skin: readonly Sheet[]): SkinMesh {
  const vertices = Uint32Array.from(
      skin.flatMap(({ first, vertices: count }) => Array.from({ length: count }, (_, v) => first + v)),
    ),
    local = new Int32Array(rest.length / 3).fill(-1);
  vertices.forEach((vertex, i) => {
    local[vertex] = i;
  });
  const positions = Float32Array.from(
      { length: vertices.length * 3 },
      (_, i) => rest[vertices[Math.floor(i / 3)] * 3 + (i % 3)],
    ),
    indices = Uint32Array.from(
      skin.flatMap(({ part, first }) => Array.from(trianglesOf(part.prim), (v) => local[v + first])),
    ),
    { points, pointOf, start, neighbour, weight, mass } = cotangentLaplacian(positions, indices),
    vertexOf = new Uint32Array(points),
    edges: [from: number[], to: number[], weight: number[]] = [[], [], []];
  for (let i = vertices.length - 1; i >= 0; i--) vertexOf[pointOf[i]] = vertices[i];
  for (let i = 0; i < points; i++)
    for (let n = start[i]; n < start[i + 1]; n++)
      if (neighbour[n] > i) {
        edges[0].push(i);
        edges[1].push(neighbour[n]);
        edges[2].push(weight[n]);
      }
  tiePieces(edges, { points, pointOf, positions, indices });
  return {
    points,
    pointOf: local.map((i) => (i < 0 ? -1 : pointOf[i])),
    vertexOf,
    from: Uint32Array.from(edges[0]),
    to: Uint32Array.from(edges[1]),
    weight: Float64Array.from(edges[2]),
    mass,
    order: dissectionOrder(
      { start, neighbour },
      Float32Array.from({ length: points * 3 }, (_, k) => rest[vertexOf[Math.floor(k / 3)] * 3 + (k % 3)]),
    ),
  };
}

/** Ties every piece to the largest, so that nothing stays behind: head, body and hands may end at each other without a shared edge. */
function tiePieces(
  [from, to, weight]: [number[], number[], number[]],
  mesh: { points: number; pointOf: Uint32Array; positions: Float32Array; indices: Uint32Array },
): void {
  const { points, pointOf, positions, indices } = mesh,
    { join, of } = createUnions(points),
    size = new Uint32Array(points);
  for (let e = 0; e < from.length; e++) join(from[e], to[e]);
  for (let i = 0; i < points; i++) size[of(i)]++;
  let main = 0;
  for (let i = 0; i < points; i++) if (size[i] > size[main]) main = i;
  if (size[main] === points) return;
  const trunk = indices.filter((_, k) => of(pointOf[indices[k - (k % 3)]]) === main),
    tree = new TriangleTree(positions, trunk),
    near = new Map<number, { point: number; at: number; d: number }[]>(),
    seen = new Uint8Array(points);
  for (let v = 0; v < pointOf.length; v++) {
    const point = pointOf[v],
      piece = of(point);
    if (piece === main || seen[point]) continue;
    seen[point] = 1;
    const d = tree.closest(positions[v * 3], positions[v * 3 + 1], positions[v * 3 + 2]),
      at = pointOf[trunk[tree.hit.triangle * 3]],
      list = near.get(piece);
    if (list) list.push({ point, at, d });
    else near.set(piece, [{ point, at, d }]);
  }
  for (const list of near.values())
    for (const { point, at } of list.sort((a, b) => a.d - b.d || a.point - b.point).slice(0, TIES)) {
      from.push(point);
      to.push(at);
      weight.push(1);
    }
}
