/**
 * Which vertices hang together by triangles: a number for each vertex, the same for all of one piece (union–find with
 * halved paths, Tarjan & van Leeuwen 1984). @param pointOf point of each vertex, where several vertices are one place
 */
export function hangingTogether(indices: ArrayLike<number>, pointOf: Uint32Array, points: number): Uint32Array {
  const above = Uint32Array.from({ length: points }, (_, i) => i),
    top = (i: number): number => {
      let at = i;
      while (above[at] !== at) {
        above[at] = above[above[at]];
        at = above[at];
      }
      return at;
    };
  for (let t = 0; t + 2 < indices.length; t += 3)
    for (let k = 1; k < 3; k++) above[top(pointOf[indices[t + k]])] = top(pointOf[indices[t]]);
  return pointOf.map(top);
}
