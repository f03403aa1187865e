/** Neighbours of each point: those of point i stand at `start[i]` … `start[i + 1]`. */
export interface Neighbours {
  start: Uint32Array;
  neighbour: Uint32Array;
}

/** Fewer points than this are not cut any further. */
const FEW = 48;

/**
 * An order in which a surface's equations are eliminated with little fill: nested dissection (George 1973), cut along
 * coordinates. Each half comes before what separates it from the other. @param positions xyz of each point
 * @returns the points in that order
 */
export function dissectionOrder({ start, neighbour }: Neighbours, positions: Float32Array): Uint32Array {
  const count = start.length - 1,
    order = new Uint32Array(count),
    /** The cut half that a point lies in while its set is looked at; changes from cut to cut. */
    half = new Int32Array(count).fill(-1);
  let cut = 0;
  const dissect = (points: number[], end: number): void => {
    if (points.length <= FEW) {
      order.set(points, end - points.length);
      return;
    }
    const axis = longestAxis(points, positions);
    points.sort((a, b) => positions[a * 3 + axis] - positions[b * 3 + axis] || a - b);
    const middle = points.length >> 1,
      right = cut + 1;
    points.forEach((point, i) => {
      half[point] = i < middle ? cut : right;
    });
    cut += 2;
    const left: number[] = [],
      between: number[] = [];
    for (const point of points.slice(0, middle)) {
      let borders = false;
      for (let n = start[point]; n < start[point + 1] && !borders; n++) borders = half[neighbour[n]] === right;
      (borders ? between : left).push(point);
    }
    const beyond = points.slice(middle);
    order.set(between, end - between.length);
    dissect(beyond, end - between.length);
    dissect(left, end - between.length - beyond.length);
  };
  dissect(
    Array.from({ length: count }, (_, i) => i),
    count,
  );
  return order;
}

function longestAxis(points: readonly number[], positions: Float32Array): number {
  const low = [Infinity, Infinity, Infinity],
    high = [-Infinity, -Infinity, -Infinity];
  for (const point of points)
    for (let k = 0; k < 3; k++) {
      const value = positions[point * 3 + k];
      if (value < low[k]) low[k] = value;
      if (value > high[k]) high[k] = value;
    }
  const size = high.map((value, k) => value - low[k]);
  return size.indexOf(Math.max(...size));
}
