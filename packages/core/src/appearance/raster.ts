import type { Camera } from './camera.ts';
import type { Scene } from './scene.ts';

/** Sub-pixel steps. Corners lie on whole numbers of them, so that neighbours share their edges exactly. */
const SUB = 256;
const FIRST_LAYERS = 1 << 18;

/**
 * What a camera sees: the nearest solid triangle of each pixel (visibility buffer, Burns & Hunt 2013), and what lies before
 * it that can be seen through, as a list in drawing order (A-buffer, Carpenter 1984; as linked lists, Yang et al. 2010).
 */
export class Raster {
  readonly depth: Float32Array;
  /** Triangle, −1 for none. */
  readonly solid: Int32Array;
  /** Last layer drawn on each pixel, −1 for none. */
  readonly last: Int32Array;
  layerTriangle = new Int32Array(FIRST_LAYERS);
  layerDepth = new Float32Array(FIRST_LAYERS);
  /** The layer drawn before on the same pixel, −1 for none. */
  layerBefore = new Int32Array(FIRST_LAYERS);
  layers = 0;

  private clip = new Float64Array(0);
  private x = new Int32Array(0);
  private y = new Int32Array(0);
  private z = new Float64Array(0);

  constructor(readonly size: number) {
    const pixels = size * size;
    this.depth = new Float32Array(pixels);
    this.solid = new Int32Array(pixels);
    this.last = new Int32Array(pixels);
  }

  /** Clip coordinates of the last camera's vertices, four each. */
  get clipped(): Float64Array {
    return this.clip;
  }

  /** @param middles of the parts, by which those that can be seen through are sorted, the farthest first */
  draw(scene: Scene, camera: Camera, middles: Float64Array): void {
    this.project(scene, camera);
    this.redraw(scene, camera, middles);
  }

  /** Draws the figure of the last {@link draw} again from where it was seen, with other materials. */
  redraw(scene: Scene, camera: Camera, middles: Float64Array): void {
    this.depth.fill(1);
    this.solid.fill(-1);
    this.last.fill(-1);
    this.layers = 0;
    const { parts, materials } = scene,
      through: number[] = [];
    for (const [id, part] of parts.entries()) {
      const { solid, doubleSided } = materials[part.material];
      if (solid) this.drawPart(scene, id, false, doubleSided ? 0 : 1);
      else through.push(id);
    }
    const { rows } = camera,
      far = (id: number) =>
        rows[12] * middles[id * 3] + rows[13] * middles[id * 3 + 1] + rows[14] * middles[id * 3 + 2];
    through.sort((a, b) => far(b) - far(a) || a - b);
    for (const id of through) {
      const { doubleSided, mode } = materials[parts[id].material];
      // A usual engine draws a two-sided blended part twice, its back faces first.
      if (doubleSided && mode === 'BLEND') this.drawPart(scene, id, true, -1);
      this.drawPart(scene, id, true, doubleSided && mode !== 'BLEND' ? 0 : 1);
    }
  }

  private project({ position, vertices }: Scene, { rows }: Camera): void {
    if (this.x.length < vertices) {
      this.clip = new Float64Array(vertices * 4);
      this.x = new Int32Array(vertices);
      this.y = new Int32Array(vertices);
      this.z = new Float64Array(vertices);
    }
    const { clip, x, y, z } = this,
      half = this.size / 2;
    for (let v = 0; v < vertices; v++) {
      const px = position[v * 3],
        py = position[v * 3 + 1],
        pz = position[v * 3 + 2];
      const cx = rows[0] * px + rows[1] * py + rows[2] * pz + rows[3],
        cy = rows[4] * px + rows[5] * py + rows[6] * pz + rows[7],
        cz = rows[8] * px + rows[9] * py + rows[10] * pz + rows[11],
        cw = rows[12] * px + rows[13] * py + rows[14] * pz + rows[15];
      clip[v * 4] = cx;
      clip[v * 4 + 1] = cy;
      clip[v * 4 + 2] = cz;
      clip[v * 4 + 3] = cw;
      if (!(cz > 0)) continue;
      x[v] = gridOf(half + (half * cx) / cw);
      y[v] = gridOf(half - (half * cy) / cw);
      z[v] = cz / cw;
    }
  }

  /** @param side 1 for faces that look at the camera, −1 for the others, 0 for both */
  private drawPart({ index, parts }: Scene, id: number, layered: boolean, side: number): void {
    const { firstTriangle, triangles } = parts[id],
      { clip, x, y, z } = this;
    for (let t = firstTriangle; t < firstTriangle + triangles; t++) {
      const a = index[t * 3],
        b = index[t * 3 + 1],
        c = index[t * 3 + 2];
      const seen = +(clip[a * 4 + 2] > 0) + +(clip[b * 4 + 2] > 0) + +(clip[c * 4 + 2] > 0);
      if (seen === 3) this.fill(t, x[a], y[a], z[a], x[b], y[b], z[b], x[c], y[c], z[c], layered, side);
      else if (seen) this.drawClipped(t, [a, b, c], layered, side);
    }
  }

  /** The part of a triangle before the near plane; new corners are made from the lower vertex to the higher, so that neighbours agree. */
  private drawClipped(t: number, ring: readonly number[], layered: boolean, side: number): void {
    const { clip, x, y, z } = this,
      half = this.size / 2,
      out: number[][] = [];
    for (let i = 0; i < 3; i++) {
      const p = ring[i],
        q = ring[(i + 1) % 3],
        here = clip[p * 4 + 2] > 0;
      if (here) out.push([x[p], y[p], z[p]]);
      if (here === clip[q * 4 + 2] > 0) continue;
      const low = Math.min(p, q) * 4,
        high = Math.max(p, q) * 4,
        s = clip[low + 2] / (clip[low + 2] - clip[high + 2]),
        at = (k: number) => clip[low + k] + s * (clip[high + k] - clip[low + k]);
      out.push([gridOf(half + (half * at(0)) / at(3)), gridOf(half - (half * at(1)) / at(3)), 0]);
    }
    for (let i = 2; i < out.length; i++) {
      const [[ax, ay, az], [bx, by, bz], [cx, cy, cz]] = [out[0], out[i - 1], out[i]];
      this.fill(t, ax, ay, az, bx, by, bz, cx, cy, cz, layered, side);
    }
  }

  /** Edge functions on whole numbers with a rule for pixels that lie on an edge (Pineda 1988): no gaps between neighbours, no pixel twice. */
  private fill(
    t: number,
    ax: number,
    ay: number,
    az: number,
    bx: number,
    by: number,
    bz: number,
    cx: number,
    cy: number,
    cz: number,
    layered: boolean,
    side: number,
  ): void {
    // Rows go down: a face that looks at the camera turns the other way round.
    let area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax);
    if (area === 0 || (side && area < 0 !== side > 0)) return;
    if (area < 0) {
      let swap = bx;
      bx = cx;
      cx = swap;
      swap = by;
      by = cy;
      cy = swap;
      swap = bz;
      bz = cz;
      cz = swap;
      area = -area;
    }
    const { size, depth, solid } = this;
    const left = Math.max(0, Math.ceil((Math.min(ax, bx, cx) - SUB / 2) / SUB)),
      right = Math.min(size - 1, Math.floor((Math.max(ax, bx, cx) - SUB / 2) / SUB)),
      top = Math.max(0, Math.ceil((Math.min(ay, by, cy) - SUB / 2) / SUB)),
      bottom = Math.min(size - 1, Math.floor((Math.max(ay, by, cy) - SUB / 2) / SUB));
    if (left > right || top > bottom) return;
    const px = left * SUB + SUB / 2,
      py = top * SUB + SUB / 2;
    const aX = by - cy,
      aY = cx - bx,
      bX = cy - ay,
      bY = ax - cx,
      cX = ay - by,
      cY = bx - ax;
    const atA = aX * (px - bx) + aY * (py - by),
      atB = bX * (px - cx) + bY * (py - cy),
      atC = cX * (px - ax) + cY * (py - ay);
    let rowA = atA - giveUp(aX, aY),
      rowB = atB - giveUp(bX, bY),
      rowC = atC - giveUp(cX, cY);
    const zX = ((az * aX + bz * bX + cz * cX) / area) * SUB,
      zY = ((az * aY + bz * bY + cz * cY) / area) * SUB;
    let rowZ = (az * atA + bz * atB + cz * atC) / area;
    for (let y = top; y <= bottom; y++) {
      let a = rowA,
        b = rowB,
        c = rowC,
        z = rowZ;
      for (let x = left, at = y * size + left; x <= right; x++, at++) {
        if (a >= 0 && b >= 0 && c >= 0 && z < depth[at]) {
          if (layered) this.addLayer(at, t, z);
          else {
            depth[at] = z;
            solid[at] = t;
          }
        }
        a += aX * SUB;
        b += bX * SUB;
        c += cX * SUB;
        z += zX;
      }
      rowA += aY * SUB;
      rowB += bY * SUB;
      rowC += cY * SUB;
      rowZ += zY;
    }
  }

  private addLayer(at: number, triangle: number, depth: number): void {
    if (this.layers === this.layerTriangle.length) {
      this.layerTriangle = grown(this.layerTriangle, Int32Array);
      this.layerDepth = grown(this.layerDepth, Float32Array);
      this.layerBefore = grown(this.layerBefore, Int32Array);
    }
    const layer = this.layers++;
    this.layerTriangle[layer] = triangle;
    this.layerDepth[layer] = depth;
    this.layerBefore[layer] = this.last[at];
    this.last[at] = layer;
  }
}

/** Far corners stay on the grid that 32 bits hold; their triangles are cut by the picture's edge long before. */
const gridOf = (pixel: number): number => Math.max(-3e7, Math.min(3e7, Math.round(pixel * SUB)));
/** Edges that are neither top nor left give up the pixels exactly on them. */
const giveUp = (x: number, y: number): number => (x > 0 || (x === 0 && y > 0) ? 0 : 1);

/** Room for twice as many. */
export function grown<T extends Int32Array | Int16Array | Float32Array>(old: T, make: new (length: number) => T): T {
  const out = new make(old.length * 2);
  out.set(old as never);
  return out;
}
