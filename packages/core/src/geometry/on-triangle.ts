/** A closest point so far: its squared distance and barycentric weights of corners 2 and 3. */
export interface OnTriangle {
  distanceSquared: number;
  v: number;
  w: number;
}

/**
 * Closest point on one triangle by Voronoi regions (Ericson 2005, 5.1.5), written to `hit` where it is nearer than what
 * is there. @param p positions @param corners vertex numbers, from `t` on those of the triangle
 * @returns whether it was nearer
 */
export function closestOn(
  p: Float32Array,
  corners: Uint32Array,
  t: number,
  x: number,
  y: number,
  z: number,
  hit: OnTriangle,
): boolean {
  const a = corners[t] * 3,
    b = corners[t + 1] * 3,
    c = corners[t + 2] * 3;
  const ax = p[a],
    ay = p[a + 1],
    az = p[a + 2];
  const ux = p[b] - ax,
    uy = p[b + 1] - ay,
    uz = p[b + 2] - az;
  const vx = p[c] - ax,
    vy = p[c + 1] - ay,
    vz = p[c + 2] - az;
  const wx = x - ax,
    wy = y - ay,
    wz = z - az;
  const d1 = ux * wx + uy * wy + uz * wz,
    d2 = vx * wx + vy * wy + vz * wz;
  const uu = ux * ux + uy * uy + uz * uz,
    uv = ux * vx + uy * vy + uz * vz,
    vv = vx * vx + vy * vy + vz * vz;
  let s = 0,
    r = 0;
  const d3 = d1 - uu,
    d4 = d2 - uv,
    d5 = d1 - uv,
    d6 = d2 - vv;
  const vc = d1 * d4 - d3 * d2,
    vb = d5 * d2 - d1 * d6,
    va = d3 * d6 - d5 * d4;
  if (d1 <= 0 && d2 <= 0) {
    s = 0;
    r = 0;
  } else if (d3 >= 0 && d4 <= d3) {
    s = 1;
    r = 0;
  } else if (vc <= 0 && d1 >= 0 && d3 <= 0) {
    s = uu > 0 ? d1 / uu : 0;
    r = 0;
  } else if (d6 >= 0 && d5 <= d6) {
    s = 0;
    r = 1;
  } else if (vb <= 0 && d2 >= 0 && d6 <= 0) {
    s = 0;
    r = vv > 0 ? d2 / vv : 0;
  } else if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) {
    const e = d4 - d3 + (d5 - d6);
    r = e > 0 ? (d4 - d3) / e : 0;
    s = 1 - r;
  } else {
    const e = va + vb + vc;
    s = e !== 0 ? vb / e : 0;
    r = e !== 0 ? vc / e : 0;
  }
  const dx = wx - ux * s - vx * r,
    dy = wy - uy * s - vy * r,
    dz = wz - uz * s - vz * r;
  const squared = dx * dx + dy * dy + dz * dz;
  if (!(squared < hit.distanceSquared)) return false;
  hit.distanceSquared = squared;
  hit.v = s;
  hit.w = r;
  return true;
}

/** The same for a triangle by its number, whatever `hit` held before. */
export function closestOnTriangle(
  positions: Float32Array,
  indices: Uint32Array,
  triangle: number,
  x: number,
  y: number,
  z: number,
  hit: OnTriangle,
): void {
  hit.distanceSquared = Infinity;
  closestOn(positions, indices, triangle * 3, x, y, z, hit);
}

/** What three corners' values, xyz per vertex, are between them. @param v @param w shares of corners 2 and 3 */
export function betweenCorners(
  out: Float64Array,
  values: Float32Array,
  indices: Uint32Array,
  triangle: number,
  v: number,
  w: number,
): Float64Array {
  const a = indices[triangle * 3] * 3,
    b = indices[triangle * 3 + 1] * 3,
    c = indices[triangle * 3 + 2] * 3,
    u = 1 - v - w;
  for (let k = 0; k < 3; k++) out[k] = values[a + k] * u + values[b + k] * v + values[c + k] * w;
  return out;
}
