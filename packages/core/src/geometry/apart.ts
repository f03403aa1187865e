/** How far two points of a list lie apart. @param points xyz of each */
export const apart = (points: ArrayLike<number>, a: number, b: number): number =>
  Math.hypot(
    points[a * 3] - points[b * 3],
    points[a * 3 + 1] - points[b * 3 + 1],
    points[a * 3 + 2] - points[b * 3 + 2],
  );
