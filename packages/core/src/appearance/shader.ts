import type { Camera } from './camera.ts';
import { Footing } from './footing.ts';
import { CHANNELS } from './light.ts';
import { type Lamp, lampsFor, lightUp } from './lighting.ts';
import { levelFor } from './mips.ts';
import { sample, texel } from './sample.ts';
import type { Scene, Slot } from './scene.ts';

// Taken over once: under test an imported name is asked for at every use, which these loops make millions of.
const channels = CHANNELS,
  sampled = texel,
  take = sample,
  levelOf = levelFor;

/**
 * Colour of a triangle at a pixel under every light, by glTF 2.0's metallic–roughness model, and what is seen through it.
 */
export class Shader {
  /** Of the last pixel: linear red, green, blue for each light. */
  readonly rgb = new Float64Array(channels);
  /** Opacity as a usual engine samples it, and the share of the pixel that the map covers. */
  alpha = 1;
  meant = 1;
  material = 0;
  /** Normal as shaded, world, and roughness. */
  readonly facing = new Float64Array(3);
  roughness = 0;

  private readonly footing: Footing;
  private readonly lamps: readonly Lamp[];

  constructor(
    private readonly scene: Scene,
    private readonly camera: Camera,
    clipped: Float64Array,
    size: number,
  ) {
    this.footing = new Footing(scene, clipped, size);
    this.lamps = lampsFor(camera);
  }

  /** @returns false where nothing of the triangle is to be seen there, as meant or as drawn */
  shade(triangle: number, px: number, py: number): boolean {
    const { scene, footing, rgb } = this,
      { uv, normal, position } = scene;
    this.material = scene.parts[scene.partOf[triangle]].material;
    const m = scene.materials[this.material];
    footing.stand(triangle, px, py, m.sets);
    const { a, b, c, share } = footing,
      la = share[0],
      lb = share[1],
      lc = share[2];
    let [red, green, blue, alpha] = m.factor;
    const { color } = scene;
    if (color) {
      red *= color[a * 4] * la + color[b * 4] * lb + color[c * 4] * lc;
      green *= color[a * 4 + 1] * la + color[b * 4 + 1] * lb + color[c * 4 + 1] * lc;
      blue *= color[a * 4 + 2] * la + color[b * 4 + 2] * lb + color[c * 4 + 2] * lc;
      alpha *= color[a * 4 + 3] * la + color[b * 4 + 3] * lb + color[c * 4 + 3] * lc;
    }
    if (m.base) {
      this.look(m.base, true);
      red *= sampled[0];
      green *= sampled[1];
      blue *= sampled[2];
      alpha *= sampled[3];
    }
    let meant = m.mode === 'MASK' ? +(alpha >= m.cutoff) : alpha;
    if (m.coverage) {
      this.look(m.coverage, false);
      meant = sampled[3];
    }
    if (m.core) meant = 0;
    if (m.solid) alpha = meant = 1;
    this.alpha = alpha;
    this.meant = meant;
    if (m.mode === 'MASK' ? meant <= 0 && alpha < m.cutoff : alpha <= 0.002) return false;
    if (m.unlit) {
      // It has no surface that light tells of.
      this.facing.fill(0);
      this.roughness = 1;
      for (let i = 0; i < channels; i += 3) {
        rgb[i] = red;
        rgb[i + 1] = green;
        rgb[i + 2] = blue;
      }
      return true;
    }
    let roughness = m.roughness,
      metallic = m.metallic,
      open = 1;
    if (m.metalRough) {
      this.look(m.metalRough, false);
      roughness *= sampled[1];
      metallic *= sampled[2];
    }
    if (m.occlusion) {
      this.look(m.occlusion, false);
      open = 1 + m.occlusionStrength * (sampled[0] - 1);
    }
    const pa = a * 3,
      pb = b * 3,
      pc = c * 3,
      ox = position[pa],
      oy = position[pa + 1],
      oz = position[pa + 2],
      e1x = position[pb] - ox,
      e1y = position[pb + 1] - oy,
      e1z = position[pb + 2] - oz,
      e2x = position[pc] - ox,
      e2y = position[pc + 1] - oy,
      e2z = position[pc + 2] - oz;
    const { eye } = this.camera;
    let vx = eye[0] - (ox + e1x * lb + e2x * lc),
      vy = eye[1] - (oy + e1y * lb + e2y * lc),
      vz = eye[2] - (oz + e1z * lb + e2z * lc);
    const far = 1 / Math.sqrt(vx * vx + vy * vy + vz * vz);
    vx *= far;
    vy *= far;
    vz *= far;
    let x = normal[pa] * la + normal[pb] * lb + normal[pc] * lc,
      y = normal[pa + 1] * la + normal[pb + 1] * lb + normal[pc + 1] * lc,
      z = normal[pa + 2] * la + normal[pb + 2] * lb + normal[pc + 2] * lc,
      l = 1 / (Math.sqrt(x * x + y * y + z * z) || 1);
    // Which side is seen is a matter of the flat face, not of the smoothed normal.
    const back = (e1y * e2z - e1z * e2y) * vx + (e1z * e2x - e1x * e2z) * vy + (e1x * e2y - e1y * e2x) * vz < 0;
    if (back) l = -l;
    x *= l;
    y *= l;
    z *= l;
    if (m.normal) {
      const at = uv[m.normal.set],
        du1 = at[b * 2] - at[a * 2],
        dv1 = at[b * 2 + 1] - at[a * 2 + 1],
        du2 = at[c * 2] - at[a * 2],
        dv2 = at[c * 2 + 1] - at[a * 2 + 1],
        det = du1 * dv2 - du2 * dv1;
      if (det !== 0) {
        const turned = det < 0 ? -1 : 1;
        let tx = (e1x * dv2 - e2x * dv1) * turned,
          ty = (e1y * dv2 - e2y * dv1) * turned,
          tz = (e1z * dv2 - e2z * dv1) * turned;
        const k = tx * x + ty * y + tz * z;
        tx -= k * x;
        ty -= k * y;
        tz -= k * z;
        const tl = 1 / (Math.sqrt(tx * tx + ty * ty + tz * tz) || 1);
        tx *= tl;
        ty *= tl;
        tz *= tl;
        // Rows of a map run down and glTF's green points up; which way that is round follows the layout and the side.
        const hand = (back ? 1 : -1) * turned;
        this.look(m.normal, false);
        const mx = (sampled[0] * 2 - 1) * m.normalScale,
          my = (sampled[1] * 2 - 1) * m.normalScale * hand,
          mz = sampled[2] * 2 - 1;
        const qx = tx * mx + (y * tz - z * ty) * my + x * mz,
          qy = ty * mx + (z * tx - x * tz) * my + y * mz,
          qz = tz * mx + (x * ty - y * tx) * my + z * mz;
        l = 1 / (Math.sqrt(qx * qx + qy * qy + qz * qz) || 1);
        x = qx * l;
        y = qy * l;
        z = qz * l;
      }
    }
    this.facing[0] = x;
    this.facing[1] = y;
    this.facing[2] = z;
    this.roughness = roughness;
    let glowR = m.emissive[0],
      glowG = m.emissive[1],
      glowB = m.emissive[2];
    if (m.glow) {
      this.look(m.glow, true);
      glowR *= sampled[0];
      glowG *= sampled[1];
      glowB *= sampled[2];
    }
    lightUp(rgb, this.lamps, m, red, green, blue, x, y, z, vx, vy, vz, roughness, metallic, open);
    if (glowR || glowG || glowB)
      for (let o = 0; o < channels; o += 3) {
        rgb[o] += glowR;
        rgb[o + 1] += glowG;
        rgb[o + 2] += glowB;
      }
    return true;
  }

  /** Samples a map where the pixel lies. */
  private look(slot: Slot, color: boolean): void {
    const { places } = this.footing,
      o = slot.set * 6,
      { affine, mips } = slot;
    let u = places[o],
      v = places[o + 1];
    if (affine) {
      const [p, q, r, s, t, w] = affine;
      [u, v] = [p * u + q * v + r, s * u + t * v + w];
    }
    take(slot, u, v, levelOf(mips, this.footing.footprint(slot)), color);
  }
}
