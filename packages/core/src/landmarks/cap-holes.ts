/** A surface with a lid on every hole. */
interface Capped {
  positions: Float32Array;
  indices: Uint32Array;
}

/**
 * Closes what a surface leaves open, hems and cuts alike, by fans to the middle of each border: solid is what lies behind
 * it then.
 * @param indices of vertices that are one where they lie at one place
 */
export function capHoles(positions: Float32Array, indices: Uint32Array): Capped {
  const count = positions.length / 3,
    once = new Set<number>();
  for (let t = 0; t < indices.length; t += 3)
    for (let k = 0; k < 3; k++) {
      const a = indices[t + k],
        b = indices[t + ((k + 1) % 3)];
      // Its neighbour runs along it the other way.
      if (!once.delete(b * count + a)) once.add(a * count + b);
    }
  const next = new Map<number, number[]>();
  for (const edge of once) {
    const a = Math.floor(edge / count),
      list = next.get(a);
    if (list) list.push(edge % count);
    else next.set(a, [edge % count]);
  }
  const points = [...positions],
    corners = [...indices];
  for (const start of next.keys())
    for (let loop = loopFrom(start, next); loop; loop = loopFrom(start, next)) {
      if (loop.length < 3) continue;
      const middle = points.length / 3;
      points.push(...[0, 1, 2].map((k) => loop.reduce((sum, v) => sum + positions[v * 3 + k], 0) / loop.length));
      loop.forEach((v, i) => corners.push(loop[(i + 1) % loop.length], v, middle));
    }
  return { positions: Float32Array.from(points), indices: Uint32Array.from(corners) };
}

/** Follows a border until it comes back to where it began, or ends; takes its edges away. Null where none is left. */
function loopFrom(start: number, next: Map<number, number[]>): number[] | null {
  let at = next.get(start)?.pop();
  if (at === undefined) return null;
  const loop = [start];
  while (at !== undefined && at !== start) {
    loop.push(at);
    at = next.get(at)?.pop();
  }
  return loop;
}
