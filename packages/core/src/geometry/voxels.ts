/** A body as solid voxels: what lies in or on its surface. */
export interface Voxels {
  /** Corner of the grid and edge of a voxel, in the caller's units. */
  origin: [number, number, number];
  size: number;
  dims: [number, number, number];
  /** 1 where solid, x fastest. */
  solid: Uint8Array;
}

/**
 * Voxels of triangle surfaces, `across` of them along the longest side: every voxel that a triangle touches, and what
 * can't be reached from outside without passing one. Surfaces need not be closed or joined; a gap narrower than a
 * voxel doesn't leak.
 * @param rim empty voxels left around
 */
export function voxelise(positions: Float32Array, indices: Uint32Array, across = 150, rim = 1): Voxels {
  const low = [Infinity, Infinity, Infinity],
    high = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < positions.length; i++) {
    const k = i % 3;
    if (positions[i] < low[k]) low[k] = positions[i];
    if (positions[i] > high[k]) high[k] = positions[i];
  }
  const size = Math.max(high[0] - low[0], high[1] - low[1], high[2] - low[2], 1e-6) / across;
  const origin = low.map((value) => value - (rim + 0.5) * size) as Voxels['origin'];
  const dims = low.map((value, k) => Math.ceil((high[k] - value) / size) + 2 + 2 * rim) as Voxels['dims'];
  const [nx, ny, nz] = dims,
    walls = new Uint8Array(nx * ny * nz);
  for (let t = 0; t + 2 < indices.length; t += 3) {
    const a = indices[t] * 3,
      b = indices[t + 1] * 3,
      c = indices[t + 2] * 3;
    // Points over the triangle closer than half a voxel apart touch every voxel that it passes.
    const longest = Math.max(dist(positions, a, b), dist(positions, b, c), dist(positions, c, a)),
      n = Math.max(1, Math.ceil((longest / size) * 2));
    for (let i = 0; i <= n; i++)
      for (let j = 0; j <= n - i; j++) {
        const u = i / n,
          v = j / n,
          w = 1 - u - v;
        const x = Math.floor((positions[a] * w + positions[b] * u + positions[c] * v - origin[0]) / size),
          y = Math.floor((positions[a + 1] * w + positions[b + 1] * u + positions[c + 1] * v - origin[1]) / size),
          z = Math.floor((positions[a + 2] * w + positions[b + 2] * u + positions[c + 2] * v - origin[2]) / size);
        walls[x + nx * (y + ny * z)] = 1;
      }
  }
  const outside = floodFromOutside(walls, dims);
  return { origin, size, dims, solid: outside.map((reached) => 1 - reached) };
}

/** 1 for what is reached from a corner of the grid without passing a wall. */
export function floodFromOutside(walls: Uint8Array, [nx, ny, nz]: Voxels['dims']): Uint8Array {
  const out = new Uint8Array(walls.length),
    stack = new Int32Array(walls.length);
  let top = 1;
  out[0] = 1;
  const go = (next: number): void => {
    if (walls[next] || out[next]) return;
    out[next] = 1;
    stack[top++] = next;
  };
  while (top) {
    const at = stack[--top],
      x = at % nx,
      y = Math.floor(at / nx) % ny,
      z = Math.floor(at / (nx * ny));
    if (x > 0) go(at - 1);
    if (x < nx - 1) go(at + 1);
    if (y > 0) go(at - nx);
    if (y < ny - 1) go(at + nx);
    if (z > 0) go(at - nx * ny);
    if (z < nz - 1) go(at + nx * ny);
  }
  return out;
}

function dist(p: Float32Array, a: number, b: number): number {
  return Math.hypot(p[a] - p[b], p[a + 1] - p[b + 1], p[a + 2] - p[b + 2]);
}

/** Index of the voxel that holds a point; clamped to the grid. */
export function voxelAt({ origin, size, dims }: Voxels, x: number, y: number, z: number): number {
  const i = Math.max(0, Math.min(dims[0] - 1, Math.floor((x - origin[0]) / size))),
    j = Math.max(0, Math.min(dims[1] - 1, Math.floor((y - origin[1]) / size))),
    k = Math.max(0, Math.min(dims[2] - 1, Math.floor((z - origin[2]) / size)));
  return i + dims[0] * (j + dims[1] * k);
}

/** Lengths of steps to the 26 neighbours, in tenths of a voxel: whole numbers, so that the queue can be an array of lists. */
const STRAIGHT = 10,
  EDGE = 14,
  CORNER = 17;
/** The 26 neighbours of a voxel and how far they are. */
export const STEPS_AROUND: readonly (readonly [x: number, y: number, z: number, cost: number])[] = [-1, 0, 1].flatMap(
  (z) =>
    [-1, 0, 1].flatMap((y) =>
      [-1, 0, 1].flatMap((x) => {
        const n = Math.abs(x) + Math.abs(y) + Math.abs(z);
        return n ? [[x, y, z, n === 1 ? STRAIGHT : n === 2 ? EDGE : CORNER] as const] : [];
      }),
    ),
);

/** Middle of a voxel, in the caller's units. */
export const middleOf = ({ origin, size, dims: [nx, ny] }: Voxels, at: number): [number, number, number] => [
  origin[0] + ((at % nx) + 0.5) * size,
  origin[1] + ((Math.floor(at / nx) % ny) + 0.5) * size,
  origin[2] + (Math.floor(at / (nx * ny)) + 0.5) * size,
];

/**
 * Distance from a polyline to every voxel, through the solid: Dijkstra's search in buckets of whole lengths (Dial
 * 1969). Voxels that can't be reached keep 65535. In tenths of a voxel.
 * @param reach where to stop, in the caller's units
 */
export function distancesThrough(
  voxels: Voxels,
  from: readonly number[],
  to: readonly number[],
  reach: number,
  out: Uint16Array,
): Uint16Array {
  const {
    dims: [nx, ny, nz],
    solid,
    size,
  } = voxels;
  out.fill(65535);
  const most = Math.min(65000, Math.ceil((reach / size) * STRAIGHT)),
    buckets: number[][] = Array.from({ length: most + CORNER + 1 }, () => []);
  const length = Math.hypot(to[0] - from[0], to[1] - from[1], to[2] - from[2]),
    steps = Math.max(1, Math.ceil((length / size) * 2));
  const seed = (at: number, d: number) => {
    if (d < out[at]) {
      out[at] = d;
      buckets[d].push(at);
    }
  };
  for (let i = 0; i <= steps; i++) {
    const t = i / steps,
      p = [0, 1, 2].map((k) => from[k] + (to[k] - from[k]) * t),
      at = voxelAt(voxels, p[0], p[1], p[2]);
    if (solid[at]) seed(at, 0);
    else {
      const near = nearestSolid(voxels, at);
      if (near && near.d <= most) seed(near.at, near.d);
    }
  }
  const offsets = STEPS_AROUND.map(([x, y, z, cost]) => [x, y, z, x + nx * (y + ny * z), cost] as const);
  for (let d = 0; d <= most; d++)
    for (const at of buckets[d]) {
      if (out[at] !== d) continue;
      const x = at % nx,
        y = Math.floor(at / nx) % ny,
        z = Math.floor(at / (nx * ny));
      for (const [ox, oy, oz, step, cost] of offsets) {
        if (x + ox < 0 || x + ox >= nx || y + oy < 0 || y + oy >= ny || z + oz < 0 || z + oz >= nz) continue;
        const next = at + step,
          total = d + cost;
        if (solid[next] && total < out[next]) {
          out[next] = total;
          if (total <= most) buckets[total].push(next);
        }
      }
    }
  return out;
}

/** The nearest solid voxel to one that isn't, by growing cubes; null beyond a dozen voxels. */
function nearestSolid({ dims: [nx, ny, nz], solid }: Voxels, at: number): { at: number; d: number } | null {
  const x = at % nx,
    y = Math.floor(at / nx) % ny,
    z = Math.floor(at / (nx * ny));
  for (let r = 1; r <= 12; r++) {
    let best = Infinity,
      found = -1;
    for (let k = -r; k <= r; k++)
      for (let j = -r; j <= r; j++)
        for (let i = -r; i <= r; i++) {
          if (Math.max(Math.abs(i), Math.abs(j), Math.abs(k)) !== r) continue;
          const a = x + i,
            b = y + j,
            c = z + k;
          if (a < 0 || a >= nx || b < 0 || b >= ny || c < 0 || c >= nz || !solid[a + nx * (b + ny * c)]) continue;
          const d = Math.hypot(i, j, k);
          if (d < best) {
            best = d;
            found = a + nx * (b + ny * c);
          }
        }
    if (found >= 0) return { at: found, d: Math.round(best * STRAIGHT) };
  }
  return null;
}
