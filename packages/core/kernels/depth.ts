// AssemblyScript: the inner loops of geometry/depth-buffer.ts, four pixels at a time. `node scripts/kernels.mjs` builds it.
// All arguments are addresses in a memory that the caller lays out. A place is four floats a vertex (x, y, depth, 0), in
// pixels; a plane is one float a pixel, rows `stride` apart, which is a multiple of four with room for four more.
let PLACE: usize = 0,
  INDEX: usize = 0,
  WANTED: usize = 0;
let WIDE: i32 = 0,
  HIGH: i32 = 0,
  STRIDE: i32 = 0;
/** How far outside a face, as a share of its height, a pixel may lie: what single precision can take from one on the edge of two faces. */
const EDGE: f32 = 1e-4;
/** Faces under this many square pixels twice over are seen edge on. */
const FLAT: f64 = 1e-9;

export function use(place: usize, index: usize, wanted: usize, wide: i32, high: i32, stride: i32): void {
  PLACE = place;
  INDEX = index;
  WANTED = wanted;
  WIDE = wide;
  HIGH = high;
  STRIDE = stride;
}

/** Writes each vertex's place along two axes of the picture and the direction of view, and the least and most of the first two to `bounds` (four doubles). */
export function project(
  positions: usize,
  place: usize,
  vertices: i32,
  bounds: usize,
  rx: f64,
  rz: f64,
  ux: f64,
  uy: f64,
  uz: f64,
  dx: f64,
  dy: f64,
  dz: f64,
): void {
  let left = f64.POSITIVE_INFINITY,
    right = f64.NEGATIVE_INFINITY,
    low = f64.POSITIVE_INFINITY,
    high = f64.NEGATIVE_INFINITY;
  for (let v = 0; v < vertices; v++) {
    const from = positions + <usize>v * 12,
      to = place + ((<usize>v) << 4),
      x = <f64>load<f32>(from),
      y = <f64>load<f32>(from, 4),
      z = <f64>load<f32>(from, 8),
      a = x * rx + z * rz,
      b = x * ux + y * uy + z * uz;
    store<f32>(to, <f32>a);
    store<f32>(to, <f32>b, 4);
    store<f32>(to, <f32>(x * dx + y * dy + z * dz), 8);
    if (a < left) left = a;
    if (a > right) right = a;
    if (b < low) low = b;
    if (b > high) high = b;
  }
  store<f64>(bounds, left);
  store<f64>(bounds, right, 8);
  store<f64>(bounds, low, 16);
  store<f64>(bounds, high, 24);
}

/** Metres to pixels; the corner of the picture comes to (1, 1). */
export function scale(place: usize, vertices: i32, left: f64, low: f64, by: f64): void {
  for (let v = 0; v < vertices; v++) {
    const at = place + ((<usize>v) << 4);
    store<f32>(at, <f32>((<f64>load<f32>(at) - left) * by + 1));
    store<f32>(at, <f32>((<f64>load<f32>(at, 4) - low) * by + 1), 4);
    store<f32>(at, <f32>(<f64>load<f32>(at, 8) * by), 8);
  }
}

function atLeast(value: i32, least: i32): i32 {
  return value < least ? least : value;
}
function atMost(value: i32, most: i32): i32 {
  return value > most ? most : value;
}

function anyWanted(x0: i32, x1: i32, y0: i32, y1: i32): bool {
  for (let y = y0; y <= y1; y++)
    for (let at = WANTED + <usize>(y * STRIDE + x0), end = WANTED + <usize>(y * STRIDE + x1); at <= end; at++)
      if (load<u8>(at)) return true;
  return false;
}

let passed: i32 = 0;
/** Pixels of the last draw that were seen, where it only tested. */
export function pixelsPassed(): i32 {
  return passed;
}

/**
 * Draws faces into the nearest depth (`near`) and the furthest (`far`, its sign changed).
 * @param owners two planes of 32-bit numbers that say whose a pixel is, 0 where nobody asks
 * @param owner −1 only tests; a face belongs to the end that it faces, its back to nobody
 * @returns the area that faces either viewer, in pixels
 */
export function draw(
  first: i32,
  count: i32,
  near: usize,
  far: usize,
  nearOwners: usize,
  farOwners: usize,
  owner: i32,
): f64 {
  const lanes = f32x4(0, 1, 2, 3),
    half = f32x4.splat(0.5),
    outside = f32x4.splat(-EDGE),
    most = f32x4.splat(1 + EDGE),
    four = f32x4.splat(4),
    nobody = i32x4.splat(-1),
    mine = i32x4.splat(owner);
  let area: f64 = 0;
  passed = 0;
  for (let t = INDEX + <usize>first * 12, end = INDEX + <usize>(first + count) * 12; t < end; t += 12) {
    const a = v128.load(PLACE + ((<usize>load<u32>(t)) << 4)),
      b = v128.load(PLACE + ((<usize>load<u32>(t, 4)) << 4)),
      c = v128.load(PLACE + ((<usize>load<u32>(t, 8)) << 4));
    const least = f32x4.pmin(f32x4.pmin(a, b), c),
      largest = f32x4.pmax(f32x4.pmax(a, b), c),
      from = i32x4.trunc_sat_f32x4_s(f32x4.add(least, half)),
      to = i32x4.trunc_sat_f32x4_s(f32x4.add(largest, half));
    const x0 = atLeast(i32x4.extract_lane(from, 0), 0),
      x1 = atMost(i32x4.extract_lane(to, 0), WIDE) - 1,
      y0 = atLeast(i32x4.extract_lane(from, 1), 0),
      y1 = atMost(i32x4.extract_lane(to, 1), HIGH) - 1;
    const nothing = x0 > x1 || y0 > y1;
    if (nothing && !nearOwners) continue;
    const ax = <f64>f32x4.extract_lane(a, 0),
      ay = <f64>f32x4.extract_lane(a, 1),
      ux = <f64>f32x4.extract_lane(b, 0) - ax,
      uy = <f64>f32x4.extract_lane(b, 1) - ay,
      vx = <f64>f32x4.extract_lane(c, 0) - ax,
      vy = <f64>f32x4.extract_lane(c, 1) - ay,
      twice = ux * vy - vx * uy;
    if (!(Math.abs(twice) > FLAT)) continue;
    area += Math.abs(twice) / 2;
    if (nothing || (WANTED && !anyWanted(x0, x1, y0, y1))) continue;
    // Weights of b and c grow by these from pixel to pixel, and from row to row.
    const inverse = 1 / twice,
      bX = vy * inverse,
      bY = -vx * inverse,
      cX = -uy * inverse,
      cY = ux * inverse,
      toX = <f64>x0 + 0.5 - ax,
      stepB = f32x4.splat(<f32>bX),
      stepC = f32x4.splat(<f32>cX),
      az = f32x4.extract_lane(a, 2),
      originZ = f32x4.splat(az),
      bz = f32x4.splat(f32x4.extract_lane(b, 2) - az),
      cz = f32x4.splat(f32x4.extract_lane(c, 2) - az),
      lowest = f32x4.splat(f32x4.extract_lane(least, 2)),
      highest = f32x4.splat(f32x4.extract_lane(largest, 2)),
      front = twice > 0;
    for (let y = y0; y <= y1; y++) {
      const toY = <f64>y + 0.5 - ay;
      let wb = f32x4.add(f32x4.splat(<f32>(toX * bX + toY * bY)), f32x4.mul(lanes, stepB)),
        wc = f32x4.add(f32x4.splat(<f32>(toX * cX + toY * cY)), f32x4.mul(lanes, stepC));
      for (let x = x0; x <= x1; x += 4) {
        const inside = v128.and(
          v128.and(f32x4.ge(wb, outside), f32x4.ge(wc, outside)),
          f32x4.le(f32x4.add(wb, wc), most),
        );
        // Without asking first whether any lies inside: nobody could foretell the answer, and waiting for it costs more.
        const at = (<usize>(y * STRIDE + x)) << 2,
          nearest = v128.load(near + at),
          furthest = v128.load(far + at),
          z = f32x4.pmax(
            lowest,
            f32x4.pmin(highest, f32x4.add(originZ, f32x4.add(f32x4.mul(bz, wb), f32x4.mul(cz, wc)))),
          ),
          back = f32x4.neg(z),
          closer = v128.and(inside, f32x4.lt(z, nearest)),
          further = v128.and(inside, f32x4.lt(back, furthest));
        if (owner < 0) passed += popcnt(i32x4.bitmask(front ? closer : further));
        else {
          v128.store(near + at, v128.bitselect(z, nearest, closer));
          v128.store(far + at, v128.bitselect(back, furthest, further));
          if (nearOwners) {
            v128.store(nearOwners + at, v128.bitselect(front ? mine : nobody, v128.load(nearOwners + at), closer));
            v128.store(farOwners + at, v128.bitselect(front ? nobody : mine, v128.load(farOwners + at), further));
          }
        }
        wb = f32x4.add(wb, f32x4.mul(four, stepB));
        wc = f32x4.add(wc, f32x4.mul(four, stepC));
      }
    }
  }
  return area;
}
