import DEPTH from './kernels/depth.ts';
import { kernel, KernelMemory } from './kernels/load.ts';

/**
 * Directions to look along: three of the sides and four of the corners. Each is looked along both ways at once, so that
 * seven drawings give fourteen views.
 */
export const AROUND: readonly (readonly [number, number, number])[] = [
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 1],
  [1, 1, 1],
  [1, 1, -1],
  [1, -1, 1],
  [1, -1, -1],
];

interface DepthKernel {
  use(place: number, index: number, wanted: number, wide: number, high: number, stride: number): void;
  project(positions: number, place: number, vertices: number, bounds: number, ...axes: number[]): void;
  scale(place: number, vertices: number, left: number, low: number, by: number): void;
  draw(
    first: number,
    count: number,
    near: number,
    far: number,
    nearOwners: number,
    farOwners: number,
    owner: number,
  ): number;
  pixelsPassed(): number;
}
const start = kernel<DepthKernel>(DEPTH);

/** One picture: of every pixel the nearest depth and, with its sign changed, the furthest; and whose they are. */
interface Layer {
  near: Float32Array;
  far: Float32Array;
  nearOwners: Int32Array;
  farOwners: Int32Array;
  /** Of the view that is looked at now. */
  fresh: boolean;
}

/**
 * Nearest and furthest surface of every pixel (depth buffer, Catmull 1974): parallel projection of a mesh along one
 * direction, seen from both of its ends. Depths are in pixels, like places.
 */
export class DepthBuffer {
  private readonly kernel: DepthKernel;
  private readonly positions: Float32Array;
  private readonly place: Float32Array;
  private readonly bounds: Float64Array;
  private readonly index: Uint32Array;
  private readonly wanted: Uint8Array;
  private readonly layers: Layer[];
  private readonly owned: boolean;
  private shape: Float32Array | null = null;
  private wanting = false;
  /** Side of a pixel in the caller's unit. */
  pixel = 1;
  /** Pixels of a row, rows, and how far rows lie apart. */
  wide = 0;
  high = 0;
  stride = 0;

  /**
   * @param size pixels along the longer side of a view
   * @param vertices of the mesh, which `indices` number
   */
  constructor(
    private readonly size: number,
    indices: Uint32Array,
    private readonly vertices: number,
    { layers = 1, owned = false }: { layers?: number; owned?: boolean } = {},
  ) {
    const pixels = (size + 8) * size,
      planes = layers * (owned ? 4 : 2);
    const memory = new KernelMemory(vertices * 28 + indices.length * 4 + pixels * (planes * 4 + 1) + (planes + 8) * 64);
    this.kernel = start(memory.memory);
    this.owned = owned;
    this.positions = memory.floats(vertices * 3);
    this.place = memory.floats(vertices * 4);
    this.bounds = memory.doubles(4);
    this.index = memory.words(indices.length);
    this.index.set(indices);
    this.wanted = memory.bytes(pixels);
    const owners = () => new Int32Array(memory.memory.buffer, owned ? memory.take(pixels * 4) : 0, owned ? pixels : 0);
    this.layers = Array.from({ length: layers }, () => ({
      near: memory.floats(pixels),
      far: memory.floats(pixels),
      nearOwners: owners(),
      farOwners: owners(),
      fresh: false,
    }));
  }

  /** @param positions of the vertices; the same array stands for the same shape */
  lookAlong(direction: readonly [number, number, number], positions: Float32Array): void {
    const { size, vertices, kernel, place, bounds } = this,
      n = Math.hypot(...direction),
      [dx, dy, dz] = direction.map((c) => c / n);
    if (this.shape !== positions) this.positions.set(positions);
    this.shape = positions;
    // Any two axes at right angles to the view.
    const flat = Math.hypot(dx, dz),
      [rx, rz] = flat > 1e-6 ? [-dz / flat, dx / flat] : [1, 0];
    const ux = flat > 1e-6 ? -dy * rz : 0,
      uy = flat > 1e-6 ? dx * rz - dz * rx : 0,
      uz = dy * rx;
    const at = place.byteOffset;
    kernel.project(this.positions.byteOffset, at, vertices, bounds.byteOffset, rx, rz, ux, uy, uz, dx, dy, dz);
    const [left, right, low, high] = bounds,
      perUnit = (size - 2) / (Math.max(right - left, high - low) || 1);
    kernel.scale(at, vertices, left, low, perUnit);
    const taken = (extent: number) => Math.max(1, Math.min(size, Math.ceil(extent * perUnit) + 2) || 1);
    this.pixel = 1 / perUnit;
    this.wide = taken(right - left);
    this.high = taken(high - low);
    this.stride = ((this.wide + 3) & ~3) + 4;
    this.wanting = false;
    for (const layer of this.layers) layer.fresh = false;
  }

  /** A layer of the view that is looked at, cleared where nothing was drawn yet. */
  private layer(number: number): Layer {
    const layer = this.layers[number];
    if (layer.fresh) return layer;
    const used = this.stride * this.high;
    layer.near.fill(Infinity, 0, used);
    layer.far.fill(Infinity, 0, used);
    layer.nearOwners.fill(-1, 0, used);
    layer.farOwners.fill(-1, 0, used);
    layer.fresh = true;
    return layer;
  }

  /** Nearest depths and furthest ones, their sign changed, of the pixels in use: rows {@link stride} apart. */
  depths(layer = 0): readonly [near: Float32Array, far: Float32Array] {
    const { near, far } = this.layer(layer),
      used = this.stride * this.high;
    return [near.subarray(0, used), far.subarray(0, used)];
  }

  /** Draws triangles. Returns the area that faces either viewer, in pixels. */
  draw(first: number, count: number, owner = 0, layer = 0): number {
    const { near, far, nearOwners, farOwners } = this.layer(layer),
      { kernel, owned } = this;
    kernel.use(
      this.place.byteOffset,
      this.index.byteOffset,
      this.wanting ? this.wanted.byteOffset : 0,
      this.wide,
      this.high,
      this.stride,
    );
    return kernel.draw(
      first,
      count,
      near.byteOffset,
      far.byteOffset,
      owned ? nearOwners.byteOffset : 0,
      owned ? farOwners.byteOffset : 0,
      owner,
    );
  }

  /** Tests triangles against what was drawn, without drawing them: the area that faces either viewer, and how many pixels of it are seen. */
  test(first: number, count: number): { area: number; pixels: number } {
    const area = this.draw(first, count, -1);
    return { area, pixels: this.kernel.pixelsPassed() };
  }

  /** Until the next look only these pixels are asked for: faces before none of them need not be drawn. */
  wantOnly(...places: Uint32Array[]): void {
    this.wanted.fill(0, 0, this.stride * this.high);
    for (const list of places) for (const pixel of list) this.wanted[pixel] = 1;
    this.wanting = true;
  }

  /** Number of the pixel that a vertex lies in. */
  pixelOf(vertex: number): number {
    const { place, wide, high, stride } = this,
      x = Math.max(0, Math.min(wide - 1, Math.floor(place[vertex * 4]))),
      y = Math.max(0, Math.min(high - 1, Math.floor(place[vertex * 4 + 1])));
    return y * stride + x;
  }

  /** Whether from one end at least nothing drawn so far lies in front of a vertex by more than `slack` pixels. */
  sees(vertex: number, slack: number): boolean {
    const { near, far } = this.layers[0],
      z = this.place[vertex * 4 + 2],
      at = this.pixelOf(vertex);
    return z <= near[at] + slack || -z <= far[at] + slack;
  }

  /** Adds to each owner's count the pixels that are its own, from both ends. */
  countInto(seen: Float64Array): void {
    const { nearOwners, farOwners } = this.layer(0),
      used = this.stride * this.high;
    for (const owners of [nearOwners, farOwners]) for (let i = 0; i < used; i++) if (owners[i] >= 0) seen[owners[i]]++;
  }
}
