// AssemblyScript: closest points on a surface in groups, for geometry/forest.ts. `node scripts/kernels.mjs` builds it.
//
// A tree of four children a node and four triangles a leaf, boxes and corners side by side for SIMD (Wald, Benthin & Boulos
// 2008; Dammertz, Hanika & Keller 2008). Single precision only rejects: whatever may be nearer than the best so far, rounding
// granted, is measured in doubles (Ericson 2005, 5.1.5). So a distance is the same to the last bit as by looking at all.
//
// All arguments are addresses in a memory that the caller lays out.
// Node, 128 bytes: least x[4] y[4] z[4], most x[4] y[4] z[4], child[4], parent, mask of all children, mask of those that hold
// something moved, nothing. A child is a node's number, ~ a leaf's, or NONE. A child's number is above its parent's.
// Leaf, 160 bytes: corner a x[4] y[4] z[4], b, c, triangle[4]. Lanes that are left over hold the last triangle again.
const NONE: i32 = i32.MIN_VALUE;
const NODE: usize = 128,
  LEAF: usize = 160,
  MOST: usize = 48,
  CHILD: usize = 96,
  PARENT: usize = 112,
  ALL: usize = 116,
  MOVED: usize = 120,
  TRIANGLE: usize = 144;
/** What single precision can take from a difference of two places, as a share of how far out they lie. */
const SLACK: f64 = 5e-7;

let PLACES: usize = 0,
  NODES: usize = 0,
  LEAVES: usize = 0,
  CORNERS: usize = 0,
  SLOTS: usize = 0,
  LEAF_NODES: usize = 0,
  LEAF_MARKS: usize = 0,
  GROUPS: usize = 0,
  ROOTS: usize = 0,
  STACK: usize = 0;
let nodes: i32 = 0,
  leaves: i32 = 0,
  roots: i32 = 0;
/** How far out the surface lies along an axis. */
let far: f64 = 0;
let best: f64 = 0,
  bestSlot: i32 = -1,
  slack: f64 = 0,
  bound: f32 = 0;

/**
 * @param corners of each leaf the places of a[4] b[4] c[4], in bytes from the first
 * @param slots of each triangle four times its leaf, and its lane
 * @param groups of each triangle
 * @param root of each group its node, or -1 where it holds nothing
 * @param stack 4096 bytes
 */
export function use(
  places: usize,
  nodesAt: usize,
  nodeCount: i32,
  leavesAt: usize,
  leafCount: i32,
  corners: usize,
  slots: usize,
  leafNodes: usize,
  leafMarks: usize,
  groups: usize,
  root: usize,
  rootCount: i32,
  stack: usize,
): void {
  PLACES = places;
  NODES = nodesAt;
  nodes = nodeCount;
  LEAVES = leavesAt;
  leaves = leafCount;
  CORNERS = corners;
  SLOTS = slots;
  LEAF_NODES = leafNodes;
  LEAF_MARKS = leafMarks;
  GROUPS = groups;
  ROOTS = root;
  roots = rootCount;
  STACK = stack;
}

function nodeAt(node: i32): usize {
  return NODES + <usize>node * NODE;
}
function leafAt(leaf: i32): usize {
  return LEAVES + <usize>leaf * LEAF;
}
function slotOf(triangle: i32): i32 {
  return load<i32>(SLOTS + ((<usize>triangle) << 2));
}

/** The least and the most of four; what is no number is passed over. */
function least(v: v128): f32 {
  const w = f32x4.pmin(v, v128.shuffle<f32>(v, v, 2, 3, 0, 1));
  return f32x4.extract_lane(f32x4.pmin(w, v128.shuffle<f32>(w, w, 1, 0, 3, 2)), 0);
}
function most(v: v128): f32 {
  const w = f32x4.pmax(v, v128.shuffle<f32>(v, v, 2, 3, 0, 1));
  return f32x4.extract_lane(f32x4.pmax(w, v128.shuffle<f32>(w, w, 1, 0, 3, 2)), 0);
}

/** Brings the corners of a leaf's triangles from where the vertices lie. */
function packLeaf(leaf: i32): void {
  const to = leafAt(leaf),
    from = CORNERS + <usize>leaf * 48;
  for (let corner: usize = 0; corner < 3; corner++)
    for (let lane: usize = 0; lane < 4; lane++) {
      const place = PLACES + <usize>load<u32>(from + corner * 16 + lane * 4),
        at = to + corner * 48 + lane * 4;
      store<f32>(at, load<f32>(place));
      store<f32>(at, load<f32>(place, 4), 16);
      store<f32>(at, load<f32>(place, 8), 32);
    }
}

/** The boxes of a node's children. */
function fitNode(number: i32): void {
  const node = nodeAt(number),
    up = f32x4.splat(Infinity),
    down = f32x4.splat(-Infinity);
  for (let lane: usize = 0; lane < 4; lane++) {
    const at = node + lane * 4,
      child = load<i32>(at, CHILD);
    if (child === NONE) continue;
    if (child < 0) {
      const leaf = leafAt(~child);
      for (let k: usize = 0; k < 3; k++) {
        const a = v128.load(leaf + k * 16),
          b = v128.load(leaf + k * 16, 48),
          c = v128.load(leaf + k * 16, 96);
        store<f32>(at + k * 16, least(f32x4.pmin(f32x4.pmin(f32x4.pmin(up, a), b), c)));
        store<f32>(at + k * 16, most(f32x4.pmax(f32x4.pmax(f32x4.pmax(down, a), b), c)), MOST);
      }
    } else {
      const below = nodeAt(child);
      for (let k: usize = 0; k < 3; k++) {
        store<f32>(at + k * 16, least(v128.load(below + k * 16)));
        store<f32>(at + k * 16, most(v128.load(below + k * 16, MOST)), MOST);
      }
    }
  }
}

function measureFar(): void {
  far = 0;
  for (let g = 0; g < roots; g++) {
    const root = load<i32>(ROOTS + ((<usize>g) << 2));
    if (root < 0) continue;
    const node = nodeAt(root);
    for (let k: usize = 0; k < 3; k++) {
      const low = -(<f64>least(v128.load(node + k * 16))),
        high = <f64>most(v128.load(node + k * 16, MOST));
      if (low > far) far = low;
      if (high > far) far = high;
    }
  }
}

/** Takes the places as they are now: all leaves and boxes anew. */
export function refit(): void {
  for (let l = 0; l < leaves; l++) packLeaf(l);
  for (let n = nodes - 1; n >= 0; n--) {
    store<i32>(nodeAt(n), 0, MOVED);
    fitNode(n);
  }
  measureFar();
}

/** Takes the places as they are now, of which only corners of the triangles in `list` lie elsewhere; what lies above those is marked as moved. */
export function refitAbove(list: usize, count: i32): void {
  for (let i = 0; i < count; i++) {
    const leaf = slotOf(load<i32>(list + ((<usize>i) << 2))) >> 2;
    if (load<u8>(LEAF_MARKS + <usize>leaf)) continue;
    store<u8>(LEAF_MARKS + <usize>leaf, 1);
    packLeaf(leaf);
    let child = ~leaf,
      n = load<i32>(LEAF_NODES + ((<usize>leaf) << 2));
    while (n >= 0) {
      const node = nodeAt(n),
        mask = load<i32>(node, MOVED);
      let lane: usize = 0;
      while (load<i32>(node + (lane << 2), CHILD) !== child) lane++;
      store<i32>(node, mask | (1 << (<i32>lane)), MOVED);
      // What lies above was marked with whatever marked this node first.
      if (mask) break;
      child = n;
      n = load<i32>(node, PARENT);
    }
  }
  for (let n = nodes - 1; n >= 0; n--) if (load<i32>(nodeAt(n), MOVED)) fitNode(n);
  clearLeafMarks(list, count);
  measureFar();
}

/** As {@link refitAbove}, back to where they lay: nothing is marked as moved. */
export function restore(list: usize, count: i32): void {
  refitAbove(list, count);
  for (let n = nodes - 1; n >= 0; n--) store<i32>(nodeAt(n), 0, MOVED);
}

function clearLeafMarks(list: usize, count: i32): void {
  for (let i = 0; i < count; i++) store<u8>(LEAF_MARKS + <usize>(slotOf(load<i32>(list + ((<usize>i) << 2))) >> 2), 0);
}

function setBound(squared: f64): void {
  const d = Math.sqrt(squared) + slack;
  bound = <f32>(d * d * 1.0001);
}

function f(at: usize, offset: usize): f64 {
  return <f64>load<f32>(at + offset);
}

/** One triangle in doubles, by Voronoi regions. */
function exact(slot: i32, x: f64, y: f64, z: f64): void {
  const at = leafAt(slot >> 2) + ((<usize>(slot & 3)) << 2);
  const ax = f(at, 0),
    ay = f(at, 16),
    az = f(at, 32);
  const ux = f(at, 48) - ax,
    uy = f(at, 64) - ay,
    uz = f(at, 80) - az;
  const vx = f(at, 96) - ax,
    vy = f(at, 112) - ay,
    vz = f(at, 128) - az;
  const wx = x - ax,
    wy = y - ay,
    wz = z - az;
  const d1 = ux * wx + uy * wy + uz * wz,
    d2 = vx * wx + vy * wy + vz * wz;
  const uu = ux * ux + uy * uy + uz * uz,
    uv = ux * vx + uy * vy + uz * vz,
    vv = vx * vx + vy * vy + vz * vz;
  const d3 = d1 - uu,
    d4 = d2 - uv,
    d5 = d1 - uv,
    d6 = d2 - vv;
  const vc = d1 * d4 - d3 * d2,
    vb = d5 * d2 - d1 * d6,
    va = d3 * d6 - d5 * d4;
  let s: f64 = 0,
    r: f64 = 0;
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
    dz = wz - uz * s - vz * r,
    squared = dx * dx + dy * dy + dz * dz;
  if (squared < best) {
    best = squared;
    bestSlot = slot;
    setBound(squared);
  }
}

function dot(ax: v128, ay: v128, az: v128, bx: v128, by: v128, bz: v128): v128 {
  return f32x4.add(f32x4.add(f32x4.mul(ax, bx), f32x4.mul(ay, by)), f32x4.mul(az, bz));
}

/** Squared distance of w to the edges e from the origin: `along` is w·e, `ee` e·e. */
function toEdge(wx: v128, wy: v128, wz: v128, ex: v128, ey: v128, ez: v128, along: v128, ee: v128): v128 {
  const t = f32x4.pmax(
      f32x4.splat(0),
      f32x4.pmin(f32x4.splat(1), f32x4.div(along, f32x4.pmax(ee, f32x4.splat(1e-30)))),
    ),
    x = f32x4.sub(wx, f32x4.mul(ex, t)),
    y = f32x4.sub(wy, f32x4.mul(ey, t)),
    z = f32x4.sub(wz, f32x4.mul(ez, t));
  return dot(x, y, z, x, y, z);
}

/**
 * Squared distances to the four triangles of a leaf in single precision: the least of three edges, or the plane's where
 * the point lies over the face. Never above the true one by more than rounding, however thin a triangle is.
 */
function leafDistances(leaf: usize, x: v128, y: v128, z: v128): v128 {
  const ax = v128.load(leaf),
    ay = v128.load(leaf, 16),
    az = v128.load(leaf, 32);
  const ux = f32x4.sub(v128.load(leaf, 48), ax),
    uy = f32x4.sub(v128.load(leaf, 64), ay),
    uz = f32x4.sub(v128.load(leaf, 80), az);
  const vx = f32x4.sub(v128.load(leaf, 96), ax),
    vy = f32x4.sub(v128.load(leaf, 112), ay),
    vz = f32x4.sub(v128.load(leaf, 128), az);
  const wx = f32x4.sub(x, ax),
    wy = f32x4.sub(y, ay),
    wz = f32x4.sub(z, az);
  const d1 = dot(ux, uy, uz, wx, wy, wz),
    d2 = dot(vx, vy, vz, wx, wy, wz),
    uu = dot(ux, uy, uz, ux, uy, uz),
    uv = dot(ux, uy, uz, vx, vy, vz),
    vv = dot(vx, vy, vz, vx, vy, vz);
  const ex = f32x4.sub(vx, ux),
    ey = f32x4.sub(vy, uy),
    ez = f32x4.sub(vz, uz),
    qx = f32x4.sub(wx, ux),
    qy = f32x4.sub(wy, uy),
    qz = f32x4.sub(wz, uz);
  const edges = f32x4.pmin(
    f32x4.pmin(toEdge(wx, wy, wz, ux, uy, uz, d1, uu), toEdge(wx, wy, wz, vx, vy, vz, d2, vv)),
    toEdge(qx, qy, qz, ex, ey, ez, dot(ex, ey, ez, qx, qy, qz), dot(ex, ey, ez, ex, ey, ez)),
  );
  const nx = f32x4.sub(f32x4.mul(uy, vz), f32x4.mul(uz, vy)),
    ny = f32x4.sub(f32x4.mul(uz, vx), f32x4.mul(ux, vz)),
    nz = f32x4.sub(f32x4.mul(ux, vy), f32x4.mul(uy, vx)),
    nn = dot(nx, ny, nz, nx, ny, nz);
  const vb = f32x4.sub(f32x4.mul(vv, d1), f32x4.mul(uv, d2)),
    vc = f32x4.sub(f32x4.mul(uu, d2), f32x4.mul(uv, d1)),
    zero = f32x4.splat(0),
    inside = v128.and(v128.and(f32x4.gt(vb, zero), f32x4.gt(vc, zero)), f32x4.lt(f32x4.add(vb, vc), nn));
  const off = dot(nx, ny, nz, wx, wy, wz),
    plane = f32x4.div(f32x4.mul(off, off), f32x4.pmax(nn, f32x4.splat(1e-38)));
  return f32x4.pmin(edges, v128.bitselect(plane, f32x4.splat(Infinity), inside));
}

/** Ones in the lanes whose bit is set. */
function lanes(mask: i32): v128 {
  return i32x4.ne(v128.and(i32x4.splat(mask), i32x4(1, 2, 4, 8)), i32x4.splat(0));
}

/** Looks below a node for something nearer than the best so far. @param only ALL, or MOVED for what was moved alone */
function search(root: i32, x: f64, y: f64, z: f64, only: usize): void {
  const px = f32x4.splat(<f32>x),
    py = f32x4.splat(<f32>y),
    pz = f32x4.splat(<f32>z),
    zero = f32x4.splat(0),
    // Sixteen bytes for the lanes of one vector, then what waits: a child and its distance.
    bottom = STACK + 16;
  let top = bottom,
    at = root;
  while (true) {
    if (at >= 0) {
      const node = nodeAt(at);
      const dx = f32x4.pmax(zero, f32x4.pmax(f32x4.sub(v128.load(node), px), f32x4.sub(px, v128.load(node, 48)))),
        dy = f32x4.pmax(zero, f32x4.pmax(f32x4.sub(v128.load(node, 16), py), f32x4.sub(py, v128.load(node, 64)))),
        dz = f32x4.pmax(zero, f32x4.pmax(f32x4.sub(v128.load(node, 32), pz), f32x4.sub(pz, v128.load(node, 80)))),
        d = dot(dx, dy, dz, dx, dy, dz);
      const mask = i32x4.bitmask(f32x4.lt(d, f32x4.splat(bound))) & load<i32>(node + only);
      if (mask) {
        // The nearest is gone into at once; the others wait in any order.
        let first = ctz(mask),
          rest = mask & (mask - 1);
        if (rest) {
          const near = least(v128.bitselect(d, f32x4.splat(Infinity), lanes(mask)));
          first = ctz(i32x4.bitmask(f32x4.eq(d, f32x4.splat(near))) & mask);
          rest = mask & ~(1 << first);
          v128.store(STACK, d);
        }
        while (rest) {
          const lane = (<usize>ctz(rest)) << 2;
          rest &= rest - 1;
          store<i32>(top, load<i32>(node + lane, CHILD));
          store<f32>(top, load<f32>(STACK + lane), 4);
          top += 8;
        }
        at = load<i32>(node + ((<usize>first) << 2), CHILD);
        continue;
      }
    } else {
      const leaf = ~at;
      let mask = i32x4.bitmask(f32x4.lt(leafDistances(leafAt(leaf), px, py, pz), f32x4.splat(bound)));
      while (mask) {
        const lane = ctz(mask);
        mask &= mask - 1;
        exact((leaf << 2) + lane, x, y, z);
      }
    }
    let found = false;
    while (top > bottom) {
      top -= 8;
      if (load<f32>(top, 4) < bound) {
        at = load<i32>(top);
        found = true;
        break;
      }
    }
    if (!found) return;
  }
}

function rootOf(group: i32): i32 {
  return group >= 0 && group < roots ? load<i32>(ROOTS + ((<usize>group) << 2)) : -1;
}

/** In a group, or in all where it holds nothing. */
function look(group: i32, x: f64, y: f64, z: f64, only: usize): void {
  const own = rootOf(group);
  if (own >= 0) {
    search(own, x, y, z, only);
    return;
  }
  for (let g = 0; g < roots; g++) {
    const root = rootOf(g);
    if (root >= 0) search(root, x, y, z, only);
  }
}

/**
 * Squared distances of `n` points (three doubles each).
 * @param group of each point
 * @param hint of each point a triangle believed near, or -1: then the last answer is tried
 * @param still of each point 1 where neither it nor the hint was moved: the hint lies `known` away, and only what was moved is looked at
 * @param known of each point a squared distance; read where it is still
 * @param nearest takes each point's triangle, -1 where there is none
 * @param enough a squared distance below which nothing nearer is looked for
 */
export function nearestOf(
  points: usize,
  group: usize,
  hint: usize,
  still: usize,
  known: usize,
  n: i32,
  out: usize,
  nearest: usize,
  enough: f64,
): void {
  let last = -1;
  for (let i = 0; i < n; i++) {
    const at = points + <usize>i * 24,
      x = load<f64>(at),
      y = load<f64>(at, 8),
      z = load<f64>(at, 16),
      own = <i32>load<u16>(group + ((<usize>i) << 1)),
      told = load<i32>(hint + ((<usize>i) << 2));
    slack = SLACK * (far + Math.max(Math.max(Math.abs(x), Math.abs(y)), Math.abs(z)));
    bestSlot = -1;
    if (load<u8>(still + <usize>i)) {
      best = load<f64>(known + ((<usize>i) << 3));
      setBound(best);
      last = told;
      look(own, x, y, z, MOVED);
    } else {
      best = Infinity;
      bound = Infinity;
      const guess = told < 0 ? last : told;
      last = -1;
      // A hint of another group says nothing, but where the own one holds nothing.
      if (guess >= 0 && (rootOf(own) < 0 || <i32>load<u16>(GROUPS + ((<usize>guess) << 1)) === own))
        exact(slotOf(guess), x, y, z);
      if (!(best < enough)) look(own, x, y, z, ALL);
    }
    if (bestSlot >= 0) last = load<i32>(leafAt(bestSlot >> 2) + ((<usize>(bestSlot & 3)) << 2), TRIANGLE);
    store<i32>(nearest + ((<usize>i) << 2), last);
    store<f64>(out + ((<usize>i) << 3), best);
  }
}
