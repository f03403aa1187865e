import type { Point } from './landmark.ts';

/** From where a relief is seen: a place, and which way what is looked at faces, level. */
export interface Seen {
  from: Point;
  forward: Point;
}
/** What is looked at: sideways from the place, and up, metres. */
export interface Window {
  x: readonly [number, number];
  y: readonly [number, number];
}

/** Triangles of more cells a side than this are drawn cell by cell. */
const FINELY = 48;

/** A surface as it is seen along one direction: of each cell how far out the place is that stands out farthest. */
export class Relief {
  readonly wide: number;
  readonly high: number;
  private readonly out: Float64Array;

  constructor(
    positions: Float32Array,
    indices: Uint32Array,
    private readonly seen: Seen,
    private readonly window: Window,
    readonly cell: number,
  ) {
    this.wide = Math.ceil((window.x[1] - window.x[0]) / cell);
    this.high = Math.ceil((window.y[1] - window.y[0]) / cell);
    this.out = new Float64Array(this.wide * this.high).fill(-Infinity);
    const {
      x: [left, right],
      y: [low, top],
    } = window;
    for (let t = 0; t < indices.length; t += 3) {
      const corners = [0, 1, 2].map((c) => this.turned(positions, indices[t + c] * 3));
      if (corners.every((p) => p[1] < low) || corners.every((p) => p[1] > top)) continue;
      if (corners.every((p) => p[0] < left) || corners.every((p) => p[0] > right)) continue;
      const longest = Math.max(
          ...corners.map((p, i) => {
            const q = corners[(i + 1) % 3];
            return Math.sqrt((p[0] - q[0]) ** 2 + (p[1] - q[1]) ** 2);
          }),
        ),
        n = Math.max(1, Math.ceil(longest / cell));
      if (n > FINELY) this.rasterise(corners);
      else this.sample(corners, n);
    }
  }

  /** A small triangle, at so many places along its sides that no cell is missed. */
  private sample(corners: readonly Point[], n: number): void {
    for (let i = 0; i <= n; i++)
      for (let j = 0; j <= n - i; j++) {
        const shares = [(n - i - j) / n, i / n, j / n],
          [x, y, z] = [0, 1, 2].map((k) => corners.reduce((sum, p, c) => sum + p[k] * shares[c], 0)),
          at = this.index(x, y);
        if (at >= 0 && z > this.out[at]) this.out[at] = z;
      }
  }

  /** A large one, at the middles of the cells of the window that it covers: however large it is. */
  private rasterise([a, b, c]: readonly Point[]): void {
    const area = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]);
    if (area === 0) return;
    const cells = (k: 0 | 1, from: number, count: number) => {
        const all = [a[k], b[k], c[k]];
        return [
          Math.max(0, Math.floor((Math.min(...all) - from) / this.cell)),
          Math.min(count - 1, Math.floor((Math.max(...all) - from) / this.cell)),
        ];
      },
      [left, right] = cells(0, this.window.x[0], this.wide),
      [low, top] = cells(1, this.window.y[0], this.high);
    for (let j = low; j <= top; j++)
      for (let i = left; i <= right; i++) {
        const [x, y] = this.middle(i, j),
          v = ((x - a[0]) * (c[1] - a[1]) - (y - a[1]) * (c[0] - a[0])) / area,
          w = ((b[0] - a[0]) * (y - a[1]) - (b[1] - a[1]) * (x - a[0])) / area;
        if (v < 0 || w < 0 || v + w > 1) continue;
        const z = a[2] + v * (b[2] - a[2]) + w * (c[2] - a[2]),
          at = i + this.wide * j;
        if (z > this.out[at]) this.out[at] = z;
      }
  }

  /** How far out the surface stands; −Infinity where there is none. */
  at(x: number, y: number): number {
    const at = this.index(x, y);
    return at < 0 ? -Infinity : this.out[at];
  }

  /** The middle of a cell: sideways, and up. */
  middle(i: number, j: number): [number, number] {
    return [this.window.x[0] + (i + 0.5) * this.cell, this.window.y[0] + (j + 0.5) * this.cell];
  }

  /** A place as it lies in the world. */
  place(x: number, y: number, out: number): Point {
    const { forward: f, from } = this.seen;
    return [from[0] + x * f[2] + out * f[0], y, from[2] - x * f[0] + out * f[2]];
  }

  /** Sideways from where it is seen, up, and out to the front. */
  private turned(positions: Float32Array, o: number): Point {
    const { forward: f, from } = this.seen,
      dx = positions[o] - from[0],
      dz = positions[o + 2] - from[2];
    return [dx * f[2] - dz * f[0], positions[o + 1], dx * f[0] + dz * f[2]];
  }

  private index(x: number, y: number): number {
    const i = Math.floor((x - this.window.x[0]) / this.cell),
      j = Math.floor((y - this.window.y[0]) / this.cell);
    return i < 0 || i >= this.wide || j < 0 || j >= this.high ? -1 : i + this.wide * j;
  }
}
