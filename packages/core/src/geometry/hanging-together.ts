/** Sets that are joined two by two (union–find with halved paths, Tarjan & van Leeuwen 1984). */
export interface Unions {
  join(a: number, b: number): void;
  /** The member that stands for a member's set. */
  of(member: number): number;
}

export function createUnions(count: number): Unions {
  const above = new Uint32Array(count);
  for (let i = 0; i < count; i++) above[i] = i;
  const of = (member: number): number => {
    let at = member;
    while (above[at] !== at) {
      above[at] = above[above[at]];
      at = above[at];
    }
    return at;
  };
  return {
    of,
    join(a, b) {
      above[of(a)] = of(b);
    },
  };
}

/**
 * Which vertices hang together by triangles: a number for each vertex, the same for all of one piece.
 * @param pointOf point of each vertex, where several vertices are one place
 */
export function hangingTogether(indices: ArrayLike<number>, pointOf: Uint32Array, points: number): Uint32Array {
  const { join, of } = createUnions(points);
  for (let t = 0; t + 2 < indices.length; t += 3)
    for (let k = 1; k < 3; k++) join(pointOf[indices[t + k]], pointOf[indices[t]]);
  return pointOf.map(of);
}
