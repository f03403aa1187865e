import type { Camera } from './camera.ts';
import { CHANNELS, environment, LIGHTS, SETUPS } from './light.ts';
import { levelFor } from './mips.ts';
import { sample, texel } from './sample.ts';
import type { Scene, SceneMaterial, Slot } from './scene.ts';

// Taken over once: under test an imported name is asked for at every use, which these loops make millions of.
const channels = CHANNELS,
  sampled = texel,
  take = sample,
  levelOf = levelFor,
  skyOf = environment;

/** Materials under 0.045 would light up in single pixels. */
const SMOOTHEST = 0.045;
const MOST_SETS = 4;

/**
 * Colour of a triangle at a pixel under every light, after glTF 2.0's Appendix B: Lambert and GGX (Trowbridge–Reitz),
 * height-correlated Smith (Heitz 2014), Schlick's Fresnel. Attributes by homogeneous barycentrics, whose derivatives give
 * the mip level (Olano & Greer 1997).
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

  private readonly clip: Float64Array;
  private readonly lights: { x: number; y: number; z: number; power: number; ambient: number; flat: boolean }[];
  /** u and v of each set, and how far the pixel to the right and the one below lie: six numbers a set. */
  private readonly places = new Float64Array(MOST_SETS * 6);
  private readonly env = new Float64Array(2);

  constructor(
    private readonly scene: Scene,
    private readonly camera: Camera,
    clipped: Float64Array,
    private readonly size: number,
  ) {
    this.clip = clipped;
    const { right, up, forward } = camera;
    this.lights = LIGHTS.map((name) => {
      const { from, power, ambient } = SETUPS[name],
        [a, b, c] = from ?? [0, 0, 0],
        along = (k: number) => right[k] * a + up[k] * b - forward[k] * c;
      return { x: along(0), y: along(1), z: along(2), power, ambient, flat: from === null };
    });
  }

  /** @returns false where nothing of the triangle is to be seen there, as meant or as drawn */
  shade(triangle: number, px: number, py: number): boolean {
    const { scene, clip, size, places, rgb } = this,
      { index, uv, normal, position } = scene,
      half = size / 2;
    this.material = scene.parts[scene.partOf[triangle]].material;
    const m = scene.materials[this.material];
    const a = index[triangle * 3],
      b = index[triangle * 3 + 1],
      c = index[triangle * 3 + 2];
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
    let la = (a0 * sx + a1 * sy + a2) * over,
      lb = (b0 * sx + b1 * sy + b2) * over,
      lc = (c0 * sx + c1 * sy + c2) * over;
    if (m.sets) {
      const step = over / half,
        ax = (a0 - la * s0) * step,
        bx = (b0 - lb * s0) * step,
        cx = (c0 - lc * s0) * step,
        ay = (la * s1 - a1) * step,
        by = (lb * s1 - b1) * step,
        cy = (lc * s1 - c1) * step;
      for (let set = 0; set < uv.length; set++) {
        if (!(m.sets & (1 << set))) continue;
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
    // A pixel on the rim may miss the unrounded triangle by a hair.
    if (la < 0 || lb < 0 || lc < 0) {
      la = Math.max(0, la);
      lb = Math.max(0, lb);
      lc = Math.max(0, lc);
      const sum = la + lb + lc || 1;
      la /= sum;
      lb /= sum;
      lc /= sum;
    }
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
    if (m.solid) alpha = meant = 1;
    this.alpha = alpha;
    this.meant = meant;
    if (m.mode === 'MASK' ? meant <= 0 && alpha < m.cutoff : alpha <= 0.002) return false;
    if (m.unlit) {
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
    this.lightUp(m, red, green, blue, x, y, z, vx, vy, vz, roughness, metallic, open);
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
    const { places } = this,
      o = slot.set * 6,
      { affine, mips } = slot;
    let u = places[o],
      v = places[o + 1],
      ux = places[o + 2],
      vx = places[o + 3],
      uy = places[o + 4],
      vy = places[o + 5];
    if (affine) {
      const [p, q, r, s, t, w] = affine;
      [u, v] = [p * u + q * v + r, s * u + t * v + w];
      [ux, vx] = [p * ux + q * vx, s * ux + t * vx];
      [uy, vy] = [p * uy + q * vy, s * uy + t * vy];
    }
    const { width, height } = mips[0];
    ux *= width;
    uy *= width;
    vx *= height;
    vy *= height;
    // Between the long and the short side of the footprint: about what four-fold anisotropic filtering keeps.
    const footprint = 0.5 * (Math.sqrt(ux * ux + vx * vx) + Math.sqrt(uy * uy + vy * vy));
    take(slot, u, v, levelOf(mips, footprint), color);
  }

  private lightUp(
    m: SceneMaterial,
    red: number,
    green: number,
    blue: number,
    x: number,
    y: number,
    z: number,
    vx: number,
    vy: number,
    vz: number,
    rough: number,
    metallic: number,
    open: number,
  ): void {
    const { rgb, env } = this,
      roughness = Math.max(SMOOTHEST, rough),
      square = fourth(roughness),
      nv = Math.max(1e-4, x * vx + y * vy + z * vz);
    const f0r = m.reflection[0] + (red - m.reflection[0]) * metallic,
      f0g = m.reflection[1] + (green - m.reflection[1]) * metallic,
      f0b = m.reflection[2] + (blue - m.reflection[2]) * metallic,
      f90 = m.grazing + (1 - m.grazing) * metallic;
    const dr = red * (1 - metallic),
      dg = green * (1 - metallic),
      db = blue * (1 - metallic);
    skyOf(env, roughness, nv);
    // A sky that is a little lighter above.
    const sky = open * (0.85 + 0.15 * y),
      skyR = sky * (dr + f0r * env[0] + f90 * env[1]),
      skyG = sky * (dg + f0g * env[0] + f90 * env[1]),
      skyB = sky * (db + f0b * env[0] + f90 * env[1]);
    let coatSky = 0;
    const coatSquare = fourth(Math.max(SMOOTHEST, m.coatRoughness));
    if (m.coat) {
      skyOf(env, Math.max(SMOOTHEST, m.coatRoughness), nv);
      coatSky = sky * m.coat * (0.04 * env[0] + env[1]);
    }
    for (let i = 0, o = 0; o < channels; i++, o += 3) {
      const light = this.lights[i];
      if (light.flat) {
        rgb[o] = red * open;
        rgb[o + 1] = green * open;
        rgb[o + 2] = blue * open;
        continue;
      }
      let r = light.ambient * skyR,
        g = light.ambient * skyG,
        b = light.ambient * skyB,
        shine = light.ambient * coatSky;
      const nl = x * light.x + y * light.y + z * light.z;
      if (nl > 0) {
        let hx = vx + light.x,
          hy = vy + light.y,
          hz = vz + light.z;
        const hl = 1 / (Math.sqrt(hx * hx + hy * hy + hz * hz) || 1);
        hx *= hl;
        hy *= hl;
        hz *= hl;
        const nh = x * hx + y * hy + z * hz,
          vh = vx * hx + vy * hy + vz * hz,
          p = (1 - vh) * (1 - vh),
          fresnel = p * p * (1 - vh),
          e = nl * light.power;
        const lobe = ggx(nh, nl, nv, square),
          mirror = lobe * (1 - fresnel),
          rim = lobe * fresnel * f90,
          spread = (1 - fresnel) / Math.PI;
        r += e * (dr * spread + f0r * mirror + rim);
        g += e * (dg * spread + f0g * mirror + rim);
        b += e * (db * spread + f0b * mirror + rim);
        if (m.coat) shine += e * m.coat * (0.04 + 0.96 * fresnel) * ggx(nh, nl, nv, coatSquare);
      }
      // What the coat reflects doesn't reach what lies under it.
      const left = m.coat ? 1 - m.coat * 0.04 : 1;
      rgb[o] = r * left + shine;
      rgb[o + 1] = g * left + shine;
      rgb[o + 2] = b * left + shine;
    }
  }
}

const fourth = (x: number): number => x * x * (x * x);

/** Distribution times visibility. @param square α² = roughness⁴ */
function ggx(nh: number, nl: number, nv: number, square: number): number {
  const q = nh * nh * (square - 1) + 1;
  return (
    ((square / (Math.PI * q * q)) * 0.5) /
    (nl * Math.sqrt(nv * nv * (1 - square) + square) + nv * Math.sqrt(nl * nl * (1 - square) + square))
  );
}
