// AssemblyScript: steps of conjugate gradients for a surface that gives way, for wrap/register-solver.ts.
// `node scripts/kernels.mjs` builds it.
//
// Single precision, x, y and z beside each other in the lanes of one vector, the fourth empty: of each point its place and the
// three columns of its map, 64 bytes. Sums over all points are doubles. What single precision leaves is seen to outside, by
// residuals in doubles.
//
// All arguments are addresses in a memory that the caller lays out.
// Edges of point i stand at start[i] … start[i + 1], each from the point of the lower number: 20 bytes: offset of the other point
// in a vector, x, y, z of the edge at rest, stiffness.
const POINT: usize = 64,
  EDGE: usize = 20;

let points: i32 = 0;
let STARTS: usize = 0,
  EDGES: usize = 0,
  WEIGHTS: usize = 0,
  BLOCKS: usize = 0,
  X: usize = 0,
  R: usize = 0,
  Z: usize = 0,
  D: usize = 0,
  Q: usize = 0,
  SUMS: usize = 0;

/** @param sums four doubles: inner products by coordinate, the fourth for nothing */
export function use(
  count: i32,
  starts: usize,
  edges: usize,
  weights: usize,
  blocks: usize,
  x: usize,
  r: usize,
  z: usize,
  d: usize,
  q: usize,
  sums: usize,
): void {
  points = count;
  STARTS = starts;
  EDGES = edges;
  WEIGHTS = weights;
  BLOCKS = blocks;
  X = x;
  R = r;
  Z = z;
  D = d;
  Q = q;
  SUMS = sums;
}

/** q = A d, and the inner products of both. @param alpha stiffness of all @param like of maps of neighbours, in parts of it */
export function apply(alpha: f32, like: f32): void {
  memory.fill(Q, 0, <usize>points * POINT);
  let edge = EDGES;
  for (let i = 0; i < points; i++) {
    const a = D + <usize>i * POINT,
      qa = Q + <usize>i * POINT,
      end = EDGES + <usize>load<u32>(STARTS + ((<usize>(i + 1)) << 2)) * EDGE,
      at = v128.load(a),
      a0 = v128.load(a, 16),
      a1 = v128.load(a, 32),
      a2 = v128.load(a, 48);
    let sum = v128.load(qa),
      sum0 = v128.load(qa, 16),
      sum1 = v128.load(qa, 32),
      sum2 = v128.load(qa, 48);
    for (; edge < end; edge += EDGE) {
      const other = <usize>load<u32>(edge),
        b = D + other,
        qb = Q + other,
        ex = v128.load32_splat(edge, 4),
        ey = v128.load32_splat(edge, 8),
        ez = v128.load32_splat(edge, 12),
        as = f32x4.mul(f32x4.splat(alpha), v128.load32_splat(edge, 16)),
        am = f32x4.mul(as, f32x4.splat(like)),
        b0 = v128.load(b, 16),
        b1 = v128.load(b, 32),
        b2 = v128.load(b, 48),
        g = f32x4.sub(at, v128.load(b)),
        there = f32x4.add(f32x4.add(f32x4.mul(a0, ex), f32x4.mul(a1, ey)), f32x4.mul(a2, ez)),
        back = f32x4.add(f32x4.add(f32x4.mul(b0, ex), f32x4.mul(b1, ey)), f32x4.mul(b2, ez)),
        r1 = f32x4.mul(as, f32x4.add(g, there)),
        // Minus what is left of the way back.
        r2 = f32x4.mul(as, f32x4.add(g, back)),
        both = f32x4.add(r1, r2),
        d0 = f32x4.mul(am, f32x4.sub(a0, b0)),
        d1 = f32x4.mul(am, f32x4.sub(a1, b1)),
        d2 = f32x4.mul(am, f32x4.sub(a2, b2));
      sum = f32x4.add(sum, both);
      sum0 = f32x4.add(sum0, f32x4.add(f32x4.mul(r1, ex), d0));
      sum1 = f32x4.add(sum1, f32x4.add(f32x4.mul(r1, ey), d1));
      sum2 = f32x4.add(sum2, f32x4.add(f32x4.mul(r1, ez), d2));
      v128.store(qb, f32x4.sub(v128.load(qb), both));
      v128.store(qb, f32x4.add(v128.load(qb, 16), f32x4.sub(f32x4.mul(r2, ex), d0)), 16);
      v128.store(qb, f32x4.add(v128.load(qb, 32), f32x4.sub(f32x4.mul(r2, ey), d1)), 32);
      v128.store(qb, f32x4.add(v128.load(qb, 48), f32x4.sub(f32x4.mul(r2, ez), d2)), 48);
    }
    v128.store(qa, sum);
    v128.store(qa, sum0, 16);
    v128.store(qa, sum1, 32);
    v128.store(qa, sum2, 48);
  }
  let low = f64x2.splat(0),
    high = f64x2.splat(0);
  for (let i = 0; i < points; i++) {
    const d = D + <usize>i * POINT,
      q = Q + <usize>i * POINT,
      t = v128.load(d),
      pulled = f32x4.add(v128.load(q), f32x4.mul(v128.load32_splat(WEIGHTS + ((<usize>i) << 2)), t));
    v128.store(q, pulled);
    const product = f32x4.add(
      f32x4.add(f32x4.mul(t, pulled), f32x4.mul(v128.load(d, 16), v128.load(q, 16))),
      f32x4.add(f32x4.mul(v128.load(d, 32), v128.load(q, 32)), f32x4.mul(v128.load(d, 48), v128.load(q, 48))),
    );
    low = f64x2.add(low, f64x2.promote_low_f32x4(product));
    high = f64x2.add(high, f64x2.promote_low_f32x4(v128.shuffle<u64>(product, product, 1, 1)));
  }
  v128.store(SUMS, low);
  v128.store(SUMS, high, 16);
}

/** x goes along d by so much, r by as much of q; z is r before its blocks, and the sums are the inner products of both. */
export function step(sx: f32, sy: f32, sz: f32): void {
  const by = f32x4.replace_lane(f32x4.replace_lane(f32x4.replace_lane(f32x4.splat(0), 0, sx), 1, sy), 2, sz);
  let low = f64x2.splat(0),
    high = f64x2.splat(0);
  for (let i = 0; i < points; i++) {
    const at = <usize>i * POINT,
      x = X + at,
      r = R + at,
      z = Z + at,
      d = D + at,
      q = Q + at,
      m = BLOCKS + at,
      r0 = f32x4.sub(v128.load(r), f32x4.mul(by, v128.load(q))),
      r1 = f32x4.sub(v128.load(r, 16), f32x4.mul(by, v128.load(q, 16))),
      r2 = f32x4.sub(v128.load(r, 32), f32x4.mul(by, v128.load(q, 32))),
      r3 = f32x4.sub(v128.load(r, 48), f32x4.mul(by, v128.load(q, 48)));
    v128.store(x, f32x4.add(v128.load(x), f32x4.mul(by, v128.load(d))));
    v128.store(x, f32x4.add(v128.load(x, 16), f32x4.mul(by, v128.load(d, 16))), 16);
    v128.store(x, f32x4.add(v128.load(x, 32), f32x4.mul(by, v128.load(d, 32))), 32);
    v128.store(x, f32x4.add(v128.load(x, 48), f32x4.mul(by, v128.load(d, 48))), 48);
    v128.store(r, r0);
    v128.store(r, r1, 16);
    v128.store(r, r2, 32);
    v128.store(r, r3, 48);
    const z0 = row(m, r0, r1, r2, r3),
      z1 = row(m + 16, r0, r1, r2, r3),
      z2 = row(m + 32, r0, r1, r2, r3),
      z3 = row(m + 48, r0, r1, r2, r3);
    v128.store(z, z0);
    v128.store(z, z1, 16);
    v128.store(z, z2, 32);
    v128.store(z, z3, 48);
    const product = f32x4.add(
      f32x4.add(f32x4.mul(r0, z0), f32x4.mul(r1, z1)),
      f32x4.add(f32x4.mul(r2, z2), f32x4.mul(r3, z3)),
    );
    low = f64x2.add(low, f64x2.promote_low_f32x4(product));
    high = f64x2.add(high, f64x2.promote_low_f32x4(v128.shuffle<u64>(product, product, 1, 1)));
  }
  v128.store(SUMS, low);
  v128.store(SUMS, high, 16);
}

/** A row of a block times what is left. */
function row(m: usize, r0: v128, r1: v128, r2: v128, r3: v128): v128 {
  return f32x4.add(
    f32x4.add(f32x4.mul(v128.load32_splat(m), r0), f32x4.mul(v128.load32_splat(m, 4), r1)),
    f32x4.add(f32x4.mul(v128.load32_splat(m, 8), r2), f32x4.mul(v128.load32_splat(m, 12), r3)),
  );
}

/** d = z + so much of d. */
export function turn(bx: f32, by: f32, bz: f32): void {
  const b = f32x4.replace_lane(f32x4.replace_lane(f32x4.replace_lane(f32x4.splat(0), 0, bx), 1, by), 2, bz),
    end = D + <usize>points * POINT;
  for (let d = D, z = Z; d < end; d += 16, z += 16) v128.store(d, f32x4.add(v128.load(z), f32x4.mul(b, v128.load(d))));
}
