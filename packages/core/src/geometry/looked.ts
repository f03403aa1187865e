/** Shares of a triangle's corners in a place on it. */
export type Shares = readonly [number, number, number];

/** Places of a triangle that are looked at: corners, middles of edges, the middle, and between it and the corners. */
export const LOOKED: readonly Shares[] = [
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 1],
  [0.5, 0.5, 0],
  [0, 0.5, 0.5],
  [0.5, 0, 0.5],
  [1 / 3, 1 / 3, 1 / 3],
  [0.6, 0.2, 0.2],
  [0.2, 0.6, 0.2],
  [0.2, 0.2, 0.6],
];
