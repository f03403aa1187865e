import { CHANNELS, environment, LIGHTS, SETUPS } from './light.ts';
import type { Camera } from './camera.ts';
import type { SceneMaterial } from './scene.ts';

// Taken over once: under test an imported name is asked for at every use, which these loops make millions of.
const channels = CHANNELS,
  skyOf = environment;

/** Materials under 0.045 would light up in single pixels. */
const SMOOTHEST = 0.045;

/** A light as it stands in the world of one camera. */
export interface Lamp {
  x: number;
  y: number;
  z: number;
  power: number;
  ambient: number;
  flat: boolean;
}

export const lampsFor = ({ right, up, forward }: Camera): Lamp[] =>
  LIGHTS.map((name) => {
    const { from, power, ambient } = SETUPS[name],
      [a, b, c] = from ?? [0, 0, 0],
      along = (k: number) => right[k] * a + up[k] * b - forward[k] * c;
    return { x: along(0), y: along(1), z: along(2), power, ambient, flat: from === null };
  });

const env = new Float64Array(2);

/**
 * Colour under every light, after glTF 2.0's Appendix B: Lambert and GGX (Trowbridge–Reitz), height-correlated Smith
 * (Heitz 2014), Schlick's Fresnel; a clear coat over it.
 * @param rgb written to: red, green and blue for each light
 * @param red of the base colour, linear; x, y, z the normal, vx, vy, vz the way to the eye, both of length one
 * @param open how much of the sky is seen, 0 … 1
 */
export function lightUp(
  rgb: Float64Array,
  lamps: readonly Lamp[],
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
  const roughness = Math.max(SMOOTHEST, rough),
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
    const light = lamps[i];
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

const fourth = (x: number): number => x * x * (x * x);

/** Distribution times visibility. @param square α² = roughness⁴ */
function ggx(nh: number, nl: number, nv: number, square: number): number {
  const q = nh * nh * (square - 1) + 1;
  return (
    ((square / (Math.PI * q * q)) * 0.5) /
    (nl * Math.sqrt(nv * nv * (1 - square) + square) + nv * Math.sqrt(nl * nl * (1 - square) + square))
  );
}
