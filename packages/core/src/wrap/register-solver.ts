import { Gradients, isReached } from './gradients.ts';
import type { Mesh } from './mesh.ts';

/** Times that what single precision left over is gone for again. */
const PASSES = 12;

/** Data of a solve: where points should come to lie, and how much that counts; nothing counts where weights are 0. */
export interface Pulls {
  /** xyz per point */
  to: Float64Array;
  weight: Float64Array;
}

/**
 * A surface that gives way: for each point its place t and an affine map A of what is around it, and between neighbours
 *   E = α Σ ( |tᵢ + Aᵢe − tⱼ|² + |tⱼ − Aⱼe − tᵢ|² + μℓ²|Aᵢ − Aⱼ|² ) + Σ wᵢ|tᵢ − pᵢ|²
 * over edges e = rest of j − rest of i, so that an affine map of all of it costs nothing (Amberg, Romdhani & Vetter 2007, with
 * the smoothness of embedded deformation: Sumner, Schmid & Pauly 2007). x, y and z have the same matrix: three systems of
 * four unknowns a point, solved beside each other by conjugate gradients with a 4×4 block a point before them. Corrections
 * are found in single precision, and what they leave over in doubles, until little enough is left (iterative refinement:
 * Wilkinson 1963).
 */
export class GivingSurface {
  /** Four unknowns a point and coordinate: place, then its row of A. Laid out t_x A_x0 A_x1 A_x2 t_y … */
  private readonly x: Float64Array;
  /** What is left to go, and the product of all of it. */
  private readonly r: Float64Array;
  private readonly block: Float64Array;
  private readonly from: Uint32Array;
  private readonly to: Uint32Array;
  private readonly e: Float64Array;
  /** Stiffness of each edge, in parts of all. */
  private readonly stiff: Float64Array;
  private readonly meanSquared: number;
  private readonly gradients: Gradients;
  /** Steps of all solves. */
  steps = 0;

  /**
   * @param rest xyz per point; what lies at the same distance from its neighbours has given way nowhere
   * @param stiffer how many times stiffer an edge between two points is than others
   * @param mu how much maps of neighbours should be alike
   */
  constructor(
    rest: ArrayLike<number>,
    { start, neighbour }: Pick<Mesh, 'start' | 'neighbour'>,
    stiffer: (i: number, j: number) => number = () => 1,
    private readonly mu = 1,
  ) {
    const n = rest.length / 3,
      edges = neighbour.length / 2;
    this.x = new Float64Array(n * 12);
    this.r = new Float64Array(n * 12);
    this.block = new Float64Array(n * 16);
    this.from = new Uint32Array(edges);
    this.to = new Uint32Array(edges);
    this.e = new Float64Array(edges * 3);
    this.stiff = new Float64Array(edges);
    let m = 0,
      sum = 0;
    for (let i = 0; i < n; i++)
      for (let k = start[i]; k < start[i + 1]; k++) {
        const j = neighbour[k];
        if (j <= i) continue;
        this.from[m] = i;
        this.to[m] = j;
        this.stiff[m] = stiffer(i, j);
        let squared = 0;
        for (let c = 0; c < 3; c++) {
          const by = rest[j * 3 + c] - rest[i * 3 + c];
          this.e[m * 3 + c] = by;
          squared += by * by;
        }
        sum += squared;
        m++;
      }
    this.meanSquared = sum / Math.max(1, edges);
    this.gradients = new Gradients(n, { from: this.from, to: this.to, e: this.e, stiff: this.stiff });
    for (let i = 0; i < n; i++)
      for (let c = 0; c < 3; c++) {
        this.x[i * 12 + c * 4] = rest[i * 3 + c];
        this.x[i * 12 + c * 4 + 1 + c] = 1;
      }
  }

  /** Where its points lie now, into `out`. */
  places(out: Float64Array | Float32Array): void {
    for (let i = 0, n = this.x.length / 12; i < n; i++)
      for (let c = 0; c < 3; c++) out[i * 3 + c] = this.x[i * 12 + c * 4];
  }

  /** All of it goes to where the least energy is, beginning from where it lies. @param most steps at most */
  solve(pulls: Pulls, alpha: number, most: number, close = 1e-3): void {
    const { gradients } = this;
    this.factor(pulls.weight, alpha);
    gradients.use(this.block, pulls.weight, alpha, this.mu * this.meanSquared);
    let goal: number[] | null = null,
      left = most;
    for (let pass = 0; pass < PASSES && left > 0; pass++) {
      this.residual(pulls, alpha);
      const rz = gradients.begin(this.r);
      goal ??= rz.map((v) => v * close * close);
      if (isReached(rz, goal)) break;
      const took = gradients.descend(rz, goal, left);
      if (!took) break;
      gradients.addTo(this.x);
      left -= took;
      this.steps += took;
    }
  }

  /** What pulls and neighbours leave over, into `r`. */
  private residual(pulls: Pulls, alpha: number): void {
    const { x, r } = this;
    this.apply(x, r, pulls.weight, alpha);
    for (let i = 0, n = pulls.weight.length; i < n; i++) {
      const w = pulls.weight[i];
      for (let o = i * 12, end = o + 12; o < end; o++) r[o] = -r[o];
      if (w) for (let c = 0; c < 3; c++) r[i * 12 + c * 4] += w * pulls.to[i * 3 + c];
    }
  }

  private apply(x: Float64Array, out: Float64Array, weight: Float64Array, alpha: number): void {
    const { from, to, e, stiff } = this,
      like = this.mu * this.meanSquared;
    out.fill(0);
    for (let m = 0, edges = from.length; m < edges; m++) {
      const as = alpha * stiff[m],
        am = as * like,
        ex = e[m * 3],
        ey = e[m * 3 + 1],
        ez = e[m * 3 + 2];
      for (let a = from[m] * 12, b = to[m] * 12, end = a + 12; a < end; a += 4, b += 4) {
        const xa = x[a],
          a0 = x[a + 1],
          a1 = x[a + 2],
          a2 = x[a + 3],
          b0 = x[b + 1],
          b1 = x[b + 2],
          b2 = x[b + 3],
          g = xa - x[b],
          r1 = as * (g + a0 * ex + a1 * ey + a2 * ez),
          r2 = as * (-g - b0 * ex - b1 * ey - b2 * ez),
          d0 = am * (a0 - b0),
          d1 = am * (a1 - b1),
          d2 = am * (a2 - b2);
        out[a] += r1 - r2;
        out[b] += r2 - r1;
        out[a + 1] += r1 * ex + d0;
        out[a + 2] += r1 * ey + d1;
        out[a + 3] += r1 * ez + d2;
        out[b + 1] -= r2 * ex + d0;
        out[b + 2] -= r2 * ey + d1;
        out[b + 3] -= r2 * ez + d2;
      }
    }
    for (let i = 0, n = weight.length; i < n; i++) {
      const w = weight[i],
        o = i * 12;
      if (!w) continue;
      out[o] += w * x[o];
      out[o + 4] += w * x[o + 4];
      out[o + 8] += w * x[o + 8];
    }
  }

  /** Inverts each point's own 4×4. */
  private factor(weight: Float64Array, alpha: number): void {
    const { block, from, to, e, stiff } = this,
      v = new Float64Array(4);
    block.fill(0);
    for (let m = 0; m < from.length; m++)
      for (let end = 0; end < 2; end++) {
        const o = (end ? to[m] : from[m]) * 16,
          sign = end ? -1 : 1,
          as = alpha * stiff[m];
        v[0] = 1;
        for (let k = 0; k < 3; k++) v[k + 1] = sign * e[m * 3 + k];
        for (let a = 0; a < 4; a++) for (let b = 0; b < 4; b++) block[o + a * 4 + b] += as * v[a] * v[b];
        block[o] += as;
        for (let a = 1; a < 4; a++) block[o + a * 5] += as * this.mu * this.meanSquared;
      }
    for (let i = 0; i < weight.length; i++) {
      block[i * 16] += weight[i];
      invert4(block, i * 16);
    }
  }
}

/** Gauss–Jordan in place; of a point without neighbours and pulls, which has no inverse, nothing is left. */
function invert4(m: Float64Array, o: number): void {
  for (let k = 0; k < 4; k++) {
    const pivot = m[o + k * 5];
    if (!(pivot > 1e-300)) {
      m.fill(0, o, o + 16);
      return;
    }
    const p = 1 / pivot;
    m[o + k * 5] = 1;
    for (let j = 0; j < 4; j++) m[o + k * 4 + j] *= p;
    for (let i = 0; i < 4; i++) {
      if (i === k) continue;
      const f = m[o + i * 4 + k];
      m[o + i * 4 + k] = 0;
      for (let j = 0; j < 4; j++) m[o + i * 4 + j] -= f * m[o + k * 4 + j];
    }
  }
}
