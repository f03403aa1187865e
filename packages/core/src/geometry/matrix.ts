/**
 * Column-major 4×4 matrices in flat arrays, addressed by offset, so that a skeleton's matrices are one
 * Float64Array and a loop over joints allocates nothing.
 */

/** out[o..o+16] = a[ao..] · b[bo..]; `out` may not overlap the inputs. */
export function multiply(
  out: Float64Array,
  o: number,
  a: ArrayLike<number>,
  ao: number,
  b: ArrayLike<number>,
  bo: number,
): void {
  for (let column = 0; column < 4; column++) {
    const b0 = b[bo + column * 4];
    const b1 = b[bo + column * 4 + 1];
    const b2 = b[bo + column * 4 + 2];
    const b3 = b[bo + column * 4 + 3];
    for (let row = 0; row < 4; row++) {
      out[o + column * 4 + row] =
        a[ao + row] * b0 + a[ao + 4 + row] * b1 + a[ao + 8 + row] * b2 + a[ao + 12 + row] * b3;
    }
  }
}

export function identity(out: Float64Array, o = 0): Float64Array {
  for (let i = 0; i < 16; i++) out[o + i] = i % 5 === 0 ? 1 : 0;
  return out;
}

/**
 * Inverse of an affine matrix (last row 0 0 0 1).
 * @returns false where the linear part is singular; `out` is then the identity.
 */
export function invertAffine(out: Float64Array, o: number, m: ArrayLike<number>, mo: number): boolean {
  const a = m[mo],
    b = m[mo + 4],
    c = m[mo + 8];
  const d = m[mo + 1],
    e = m[mo + 5],
    f = m[mo + 9];
  const g = m[mo + 2],
    h = m[mo + 6],
    i = m[mo + 10];
  const A = e * i - f * h;
  const B = f * g - d * i;
  const C = d * h - e * g;
  const det = a * A + b * B + c * C;
  if (!(Math.abs(det) > 1e-30)) {
    identity(out, o);
    return false;
  }
  const s = 1 / det;
  const inverse = [
    A * s,
    (c * h - b * i) * s,
    (b * f - c * e) * s,
    B * s,
    (a * i - c * g) * s,
    (c * d - a * f) * s,
    C * s,
    (b * g - a * h) * s,
    (a * e - b * d) * s,
  ];
  const x = m[mo + 12],
    y = m[mo + 13],
    z = m[mo + 14];
  for (let row = 0; row < 3; row++) {
    const [p, q, r] = [inverse[row * 3], inverse[row * 3 + 1], inverse[row * 3 + 2]];
    out[o + row] = p;
    out[o + 4 + row] = q;
    out[o + 8 + row] = r;
    out[o + 12 + row] = -(p * x + q * y + r * z);
  }
  out[o + 3] = out[o + 7] = out[o + 11] = 0;
  out[o + 15] = 1;
  return true;
}

export type Vec3 = [number, number, number];
export type Quat = [number, number, number, number];

/** Matrix from translation, rotation (xyzw) and scale. */
export function compose(
  out: Float64Array,
  o: number,
  t: ArrayLike<number>,
  q: ArrayLike<number>,
  s: ArrayLike<number>,
): void {
  const [x, y, z, w] = [q[0], q[1], q[2], q[3]];
  const xx = 2 * x * x,
    yy = 2 * y * y,
    zz = 2 * z * z;
  const xy = 2 * x * y,
    xz = 2 * x * z,
    yz = 2 * y * z,
    wx = 2 * w * x,
    wy = 2 * w * y,
    wz = 2 * w * z;
  const linear = [1 - yy - zz, xy + wz, xz - wy, xy - wz, 1 - xx - zz, yz + wx, xz + wy, yz - wx, 1 - xx - yy];
  for (let column = 0; column < 3; column++) {
    for (let row = 0; row < 3; row++) out[o + column * 4 + row] = linear[column * 3 + row] * s[column];
    out[o + column * 4 + 3] = 0;
    out[o + 12 + column] = t[column];
  }
  out[o + 15] = 1;
}

/** Rotation part of an affine matrix as a unit quaternion (Shepperd 1978), scale divided out. */
export function rotationOf(m: ArrayLike<number>, o = 0): Quat {
  const c = [0, 1, 2].map((k) => Math.hypot(m[o + k * 4], m[o + k * 4 + 1], m[o + k * 4 + 2]) || 1);
  const e = (row: number, column: number) => m[o + column * 4 + row] / c[column];
  const det =
    e(0, 0) * (e(1, 1) * e(2, 2) - e(1, 2) * e(2, 1)) -
    e(0, 1) * (e(1, 0) * e(2, 2) - e(1, 2) * e(2, 0)) +
    e(0, 2) * (e(1, 0) * e(2, 1) - e(1, 1) * e(2, 0));
  const f = det < 0 ? -1 : 1; // a mirrored axis counts as negative scale on x
  const m00 = e(0, 0) * f,
    m10 = e(1, 0) * f,
    m20 = e(2, 0) * f;
  const m01 = e(0, 1),
    m11 = e(1, 1),
    m21 = e(2, 1),
    m02 = e(0, 2),
    m12 = e(1, 2),
    m22 = e(2, 2);
  const trace = m00 + m11 + m22;
  let q: Quat;
  if (trace > 0) {
    const s = 2 * Math.sqrt(trace + 1);
    q = [(m21 - m12) / s, (m02 - m20) / s, (m10 - m01) / s, s / 4];
  } else if (m00 > m11 && m00 > m22) {
    const s = 2 * Math.sqrt(1 + m00 - m11 - m22);
    q = [s / 4, (m01 + m10) / s, (m02 + m20) / s, (m21 - m12) / s];
  } else if (m11 > m22) {
    const s = 2 * Math.sqrt(1 + m11 - m00 - m22);
    q = [(m01 + m10) / s, s / 4, (m12 + m21) / s, (m02 - m20) / s];
  } else {
    const s = 2 * Math.sqrt(1 + m22 - m00 - m11);
    q = [(m02 + m20) / s, (m12 + m21) / s, s / 4, (m10 - m01) / s];
  }
  const length = Math.hypot(...q) || 1;
  return [q[0] / length, q[1] / length, q[2] / length, q[3] / length];
}

export function quatMultiply(a: Quat, b: Quat): Quat {
  return [
    a[3] * b[0] + a[0] * b[3] + a[1] * b[2] - a[2] * b[1],
    a[3] * b[1] - a[0] * b[2] + a[1] * b[3] + a[2] * b[0],
    a[3] * b[2] + a[0] * b[1] - a[1] * b[0] + a[2] * b[3],
    a[3] * b[3] - a[0] * b[0] - a[1] * b[1] - a[2] * b[2],
  ];
}

export const quatConjugate = (q: Quat): Quat => [-q[0], -q[1], -q[2], q[3]];

/** Rotation by `angle` radians about `axis` (need not be unit length). */
export function quatFromAxis(axis: Vec3, angle: number): Quat {
  const length = Math.hypot(...axis) || 1;
  const s = Math.sin(angle / 2) / length;
  return [axis[0] * s, axis[1] * s, axis[2] * s, Math.cos(angle / 2)];
}

/** xyz triples through an affine matrix: places move, offsets only turn and scale, normals are made unit length again. */
export function transformed(
  values: Float32Array,
  m: ArrayLike<number>,
  as: 'places' | 'offsets' | 'normals',
): Float32Array<ArrayBuffer> {
  const out = new Float32Array(values.length),
    w = as === 'places' ? 1 : 0;
  for (let i = 0; i < values.length; i += 3) {
    for (let r = 0; r < 3; r++)
      out[i + r] = m[r] * values[i] + m[4 + r] * values[i + 1] + m[8 + r] * values[i + 2] + w * m[12 + r];
    if (as === 'normals') {
      const l = Math.hypot(out[i], out[i + 1], out[i + 2]) || 1;
      for (let r = 0; r < 3; r++) out[i + r] /= l;
    }
  }
  return out;
}

/** A vector turned by a unit quaternion. */
export function quatRotate(q: ArrayLike<number>, v: ArrayLike<number>): Vec3 {
  const [x, y, z, w] = [q[0], q[1], q[2], q[3]];
  const tx = 2 * (y * v[2] - z * v[1]),
    ty = 2 * (z * v[0] - x * v[2]),
    tz = 2 * (x * v[1] - y * v[0]);
  return [v[0] + w * tx + y * tz - z * ty, v[1] + w * ty + z * tx - x * tz, v[2] + w * tz + x * ty - y * tx];
}

/** The smallest turn that brings unit vector `a` onto unit vector `b`. */
export function quatBetween(a: Vec3, b: Vec3): Quat {
  const c = cross(a, b),
    w = 1 + dot(a, b);
  // Opposite directions: half a turn about anything square to them.
  if (w < 1e-9) {
    const side = Math.abs(a[0]) < 0.9 ? cross(a, [1, 0, 0]) : cross(a, [0, 1, 0]);
    return quatFromAxis(side, Math.PI);
  }
  const length = Math.hypot(c[0], c[1], c[2], w);
  return [c[0] / length, c[1] / length, c[2] / length, w / length];
}

/** Angle of a turn, radians, 0 … π. */
export const quatAngle = (q: Quat): number => 2 * Math.atan2(Math.hypot(q[0], q[1], q[2]), Math.abs(q[3]));

/** Translation, rotation, scale of an affine matrix without shear. */
export function decompose(m: ArrayLike<number>, o = 0): { translation: Vec3; rotation: Quat; scale: Vec3 } {
  const rotation = rotationOf(m, o);
  const scale = [0, 1, 2].map((k) => Math.hypot(m[o + k * 4], m[o + k * 4 + 1], m[o + k * 4 + 2])) as Vec3;
  const cross =
    (m[o + 1] * m[o + 6] - m[o + 2] * m[o + 5]) * m[o + 8] +
    (m[o + 2] * m[o + 4] - m[o] * m[o + 6]) * m[o + 9] +
    (m[o] * m[o + 5] - m[o + 1] * m[o + 4]) * m[o + 10];
  if (cross < 0) scale[0] = -scale[0];
  return { translation: [m[o + 12], m[o + 13], m[o + 14]], rotation, scale };
}

export const sub = (a: ArrayLike<number>, b: ArrayLike<number>): Vec3 => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
export const cross = (a: ArrayLike<number>, b: ArrayLike<number>): Vec3 => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
];
export const dot = (a: ArrayLike<number>, b: ArrayLike<number>): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
export function unit(a: ArrayLike<number>): Vec3 {
  const length = Math.hypot(a[0], a[1], a[2]) || 1;
  return [a[0] / length, a[1] / length, a[2] / length];
}
