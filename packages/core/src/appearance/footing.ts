import type { Scene, Slot } from './scene.ts';

const MOST_SETS = 4;

/**
 * Where on its triangle a pixel lies: homogeneous barycentrics, whose derivatives tell how far the neighbouring pixels'
 * UVs lie (Olano & Greer 1997).
 */
export class Footing {
  /** Vertices of the triangle. */
  a = 0;
  b = 0;
  c = 0;
  /** Their shares, which sum to one. */
  readonly share = new Float64Array(3);
  /** u and v of each set, and how far the pixel to the right and the one below lie: six numbers a set. */
  readonly places = new Float64Array(MOST_SETS * 6);

  constructor(
    private readonly scene: Scene,
    private readonly clip: Float64Array,
    private readonly size: number,
  ) {}

  /** @param sets of UVs that are asked for, a bit each */
  stand(triangle: number, px: number, py: number, sets: number): void {
    const { clip, share } = this,
      { index } = this.scene,
      half = this.size / 2,
      a = (this.a = index[triangle * 3]),
      b = (this.b = index[triangle * 3 + 1]),
      c = (this.c = index[triangle * 3 + 2]);
    const xa = clip[a * 4],
      ya = clip[a * 4 + 1],
      wa = clip[a * 4 + 3],
      xb = clip[b * 4],
      yb = clip[b * 4 + 1],
      wb = clip[b * 4 + 3],
      xc = clip[c * 4],
      yc = clip[c * 4 + 1],
      wc = clip[c * 4 + 3];
    // Rows of the adjoint of (x, y, w): barycentrics are linear in the picture before they are divided.
    const a0 = yb * wc - yc * wb,
      a1 = xc * wb - xb * wc,
      a2 = xb * yc - xc * yb,
      b0 = yc * wa - ya * wc,
      b1 = xa * wc - xc * wa,
      b2 = xc * ya - xa * yc,
      c0 = ya * wb - yb * wa,
      c1 = xb * wa - xa * wb,
      c2 = xa * yb - xb * ya;
    const sx = (px + 0.5 - half) / half,
      sy = (half - py - 0.5) / half,
      s0 = a0 + b0 + c0,
      s1 = a1 + b1 + c1,
      over = 1 / (s0 * sx + s1 * sy + (a2 + b2 + c2));
    const la = (a0 * sx + a1 * sy + a2) * over,
      lb = (b0 * sx + b1 * sy + b2) * over,
      lc = (c0 * sx + c1 * sy + c2) * over;
    if (sets) {
      const step = over / half;
      this.place(
        sets,
        la,
        lb,
        lc,
        (a0 - la * s0) * step,
        (b0 - lb * s0) * step,
        (c0 - lc * s0) * step,
        (la * s1 - a1) * step,
        (lb * s1 - b1) * step,
        (lc * s1 - c1) * step,
      );
    }
    share[0] = la;
    share[1] = lb;
    share[2] = lc;
    // A pixel on the rim may miss the unrounded triangle by a hair.
    if (la >= 0 && lb >= 0 && lc >= 0) return;
    let sum = 0;
    for (let k = 0; k < 3; k++) sum += share[k] = Math.max(0, share[k]);
    for (let k = 0; k < 3; k++) share[k] /= sum || 1;
  }

  /**
   * Texels of a map at full size that the pixel spans, between the long and the short side of what it sees of it: about what
   * four-fold anisotropic filtering keeps.
   */
  footprint({ set, affine, mips }: Pick<Slot, 'set' | 'affine' | 'mips'>): number {
    const { places } = this,
      o = set * 6,
      { width, height } = mips[0];
    let ux = places[o + 2],
      vx = places[o + 3],
      uy = places[o + 4],
      vy = places[o + 5];
    if (affine) {
      const [p, q, , s, t] = affine;
      [ux, vx] = [p * ux + q * vx, s * ux + t * vx];
      [uy, vy] = [p * uy + q * vy, s * uy + t * vy];
    }
    ux *= width;
    uy *= width;
    vx *= height;
    vy *= height;
    return 0.5 * (Math.sqrt(ux * ux + vx * vx) + Math.sqrt(uy * uy + vy * vy));
  }

  /** @param ax how much the share of the first vertex grows to the pixel on the right, and `ay` to the one below */
  private place(
    sets: number,
    la: number,
    lb: number,
    lc: number,
    ax: number,
    bx: number,
    cx: number,
    ay: number,
    by: number,
    cy: number,
  ): void {
    const { places, a, b, c } = this,
      { uv } = this.scene;
    for (let set = 0; set < uv.length; set++) {
      if (!(sets & (1 << set))) continue;
      const at = uv[set],
        o = set * 6;
      for (let k = 0; k < 2; k++) {
        const p = at[a * 2 + k],
          q = at[b * 2 + k],
          r = at[c * 2 + k];
        places[o + k] = p * la + q * lb + r * lc;
        places[o + 2 + k] = p * ax + q * bx + r * cx;
        places[o + 4 + k] = p * ay + q * by + r * cy;
      }
    }
  }
}
