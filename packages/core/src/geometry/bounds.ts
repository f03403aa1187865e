export interface Bounds {
  min: [number, number, number];
  max: [number, number, number];
}

export function emptyBounds(): Bounds {
  return { min: [Infinity, Infinity, Infinity], max: [-Infinity, -Infinity, -Infinity] };
}

/** Grows `bounds` by xyz triples of `positions`. */
export function growBounds(bounds: Bounds, positions: ArrayLike<number>): Bounds {
  for (let i = 0; i + 2 < positions.length; i += 3) {
    for (let k = 0; k < 3; k++) {
      const value = positions[i + k];
      if (value < bounds.min[k]) bounds.min[k] = value;
      if (value > bounds.max[k]) bounds.max[k] = value;
    }
  }
  return bounds;
}

/** From the lowest to the highest of xyz triples; 1 where there is no height. */
export function heightOf(points: ArrayLike<number>): number {
  let low = Infinity,
    high = -Infinity;
  for (let i = 1; i < points.length; i += 3) {
    if (points[i] < low) low = points[i];
    if (points[i] > high) high = points[i];
  }
  return high > low ? high - low : 1;
}

export function boundsSize(bounds: Bounds): [number, number, number] {
  if (bounds.max[0] < bounds.min[0]) return [0, 0, 0];
  return [bounds.max[0] - bounds.min[0], bounds.max[1] - bounds.min[1], bounds.max[2] - bounds.min[2]];
}
