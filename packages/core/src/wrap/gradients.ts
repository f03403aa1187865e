import { GIVING, kernel, KernelMemory } from '../geometry/index.ts';

interface GivingKernel {
  use(count: number, ...at: number[]): void;
  apply(alpha: number, like: number): void;
  step(sx: number, sy: number, sz: number): void;
  turn(bx: number, by: number, bz: number): void;
}
const start = kernel<GivingKernel>(GIVING);

/** Below this nothing is left. */
const NOTHING = 1e-26;
/** Single precision comes no nearer than this, squared, to where it goes in one descent. */
const CLOSEST = 1e-8;

/** Grown so many times, what is left will not become less. */
const ASTRAY = 1e6;

export const isReached = (rz: ArrayLike<number>, goal: ArrayLike<number>): boolean =>
  [0, 1, 2].every((c) => rz[c] <= goal[c] || rz[c] < NOTHING);

/** Edges of a surface, from the point of the lower number, sorted by it. */
interface Edges {
  from: Uint32Array;
  to: Uint32Array;
  /** xyz per edge, at rest */
  e: Float64Array;
  stiff: Float64Array;
}

/** Conjugate gradients of a surface that gives way, in single precision, x, y and z beside each other (`kernels/giving.ts`). */
export class Gradients {
  private readonly kernel: GivingKernel;
  private readonly blocks: Float32Array;
  private readonly weights: Float32Array;
  private readonly x: Float32Array;
  private readonly r: Float32Array;
  private readonly d: Float32Array;
  private readonly q: Float32Array;
  private readonly z: Float32Array;
  private readonly sums: Float64Array;
  private alpha = 1;
  private like = 1;

  constructor(
    private readonly points: number,
    { from, to, e, stiff }: Edges,
  ) {
    const edges = from.length,
      memory = new KernelMemory(points * (6 * 64 + 8) + edges * 20 + 2048),
      starts = memory.words(points + 1),
      records = memory.words(edges * 5),
      floats = new Float32Array(records.buffer, records.byteOffset, records.length);
    for (let m = 0; m < edges; m++) {
      starts[from[m] + 1]++;
      records[m * 5] = to[m] * 64;
      for (let k = 0; k < 3; k++) floats[m * 5 + 1 + k] = e[m * 3 + k];
      floats[m * 5 + 4] = stiff[m];
    }
    for (let i = 0; i < points; i++) starts[i + 1] += starts[i];
    this.weights = memory.floats(points);
    this.blocks = memory.floats(points * 16);
    this.x = memory.floats(points * 16);
    this.r = memory.floats(points * 16);
    this.z = memory.floats(points * 16);
    this.d = memory.floats(points * 16);
    this.q = memory.floats(points * 16);
    this.sums = memory.doubles(4);
    this.kernel = start(memory.memory);
    const { weights, blocks, x, r, z, d, q, sums } = this;
    this.kernel.use(
      points,
      ...[starts, records, weights, blocks, x, r, z, d, q, sums].map(({ byteOffset }) => byteOffset),
    );
  }

  /** @param block 4×4 per point, by rows @param like how much maps of neighbours should be alike, in parts of `alpha` */
  use(block: Float64Array, weight: ArrayLike<number>, alpha: number, like: number): void {
    this.blocks.set(block);
    this.weights.set(weight);
    this.alpha = alpha;
    this.like = like;
  }

  /** What is left to go. @param left t_x A_x0 … per point, twelve numbers @returns how much that is, by coordinate, squared */
  begin(left: Float64Array): number[] {
    const { x, r, z, d, q, points, kernel } = this;
    x.fill(0);
    q.fill(0);
    d.fill(0);
    for (let i = 0; i < points; i++)
      for (let c = 0; c < 3; c++) for (let k = 0; k < 4; k++) r[i * 16 + k * 4 + c] = left[i * 12 + c * 4 + k];
    kernel.step(0, 0, 0);
    d.set(z);
    return this.sum();
  }

  /**
   * Goes on from {@link begin} until as little is left as asked, or as single precision can.
   * @param rz what {@link begin} said @returns steps it took
   */
  descend(rz: readonly number[], goal: readonly number[], most: number): number {
    const { kernel } = this,
      near = goal.map((v, c) => Math.max(v, rz[c] * CLOSEST));
    let now = rz,
      step = 0;
    for (; step < most && !isReached(now, near); step++) {
      kernel.apply(this.alpha, this.like);
      const dq = this.sum(),
        // A coordinate that is there stays.
        along = now.map((v, c) => (dq[c] > 0 && v > near[c] ? v / dq[c] : 0));
      kernel.step(along[0], along[1], along[2]);
      const next = this.sum();
      if (next.some((v, c) => !(v <= rz[c] * ASTRAY + NOTHING))) {
        // What hangs on nothing goes nowhere for certain, and would go anywhere.
        this.x.fill(0);
        return step + 1;
      }
      const [bx, by, bz] = next.map((v, c) => (along[c] > 0 && now[c] > 0 ? v / now[c] : 0));
      kernel.turn(bx, by, bz);
      now = next;
    }
    return step;
  }

  /** Where it went, added to numbers laid out as those given to {@link begin}. */
  addTo(out: Float64Array): void {
    const { x, points } = this;
    for (let i = 0; i < points; i++)
      for (let c = 0; c < 3; c++) for (let k = 0; k < 4; k++) out[i * 12 + c * 4 + k] += x[i * 16 + k * 4 + c];
  }

  private sum(): number[] {
    return [this.sums[0], this.sums[1], this.sums[2]];
  }
}
