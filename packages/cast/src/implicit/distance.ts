/** Signed distances and their smooth unions (after Quilez's published formulae). Metres. */
/** Length of a vector; Math.hypot is ten times slower. */
export const len = (x: number, y: number, z = 0): number => Math.sqrt(x * x + y * y + z * z);
export type Vec = readonly [number, number, number];

export function roundCone(x: number, y: number, z: number, a: Vec, b: Vec, ra: number, rb: number): number {
  const ux = b[0] - a[0],
    uy = b[1] - a[1],
    uz = b[2] - a[2];
  const px = x - a[0],
    py = y - a[1],
    pz = z - a[2];
  const t = Math.max(0, Math.min(1, (px * ux + py * uy + pz * uz) / (ux * ux + uy * uy + uz * uz)));
  return len(px - ux * t, py - uy * t, pz - uz * t) - (ra + (rb - ra) * t);
}

/** Ellipsoid, good near its surface. */
export function ellipsoid(x: number, y: number, z: number, c: Vec, r: Vec): number {
  const px = x - c[0],
    py = y - c[1],
    pz = z - c[2];
  const k0 = len(px / r[0], py / r[1], pz / r[2]);
  const k1 = len(px / (r[0] * r[0]), py / (r[1] * r[1]), pz / (r[2] * r[2]));
  return k1 < 1e-9 ? -Math.min(...r) : (k0 * (k0 - 1)) / k1;
}

export function blend(a: number, b: number, k: number): number {
  const h = Math.max(k - Math.abs(a - b), 0) / k;
  return Math.min(a, b) - h * h * k * 0.25;
}
export const cut = (a: number, b: number, k: number): number => -blend(-a, -b, k);

/**
 * The way from a point to the surface where a distance field is `level`, as far as its gradient tells: one Newton step.
 * @param e over which the gradient is taken
 */
export function towards(
  distance: (x: number, y: number, z: number) => number,
  x: number,
  y: number,
  z: number,
  e: number,
  level = 0,
): [number, number, number] {
  const d = distance(x, y, z),
    gx = (distance(x + e, y, z) - d) / e,
    gy = (distance(x, y + e, z) - d) / e,
    gz = (distance(x, y, z + e) - d) / e;
  // Where fields are blended the gradient is short; a step along it must not run away.
  const far = (level - d) / Math.max(0.5, gx * gx + gy * gy + gz * gz);
  return [gx * far, gy * far, gz * far];
}
