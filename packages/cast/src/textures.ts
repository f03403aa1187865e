import type { Figure } from './pilot.ts';
import { bake, normalsFromHeight, paintFlat, type Picture, type Texel } from './paint/bake.ts';
import { knit, paintCloth, weave } from './paint/cloth.ts';
import { paintEye } from './paint/eye.ts';
import { fractal, noise } from './paint/noise.ts';
import { paintFace, paintHand, type SkinTone } from './paint/skin.ts';

/** Writes a picture in a file format; the platform's codec. */
export type EncodeImage = (picture: Picture, mimeType: 'image/png' | 'image/jpeg') => Promise<Uint8Array>;
export type Bitmaps = Map<string, { bytes: Uint8Array; mimeType: 'image/png' | 'image/jpeg' }>;

const REFLECTIVE = [0.82, 0.84, 0.84];

/** All maps of the harbour pilot. @param size of the largest maps, pixels */
export async function paintPilot(figure: Figure, tone: SkinTone, size: number, encode: EncodeImage, progress: (message: string) => void): Promise<Bitmaps> {
  const out: Bitmaps = new Map();
  const keep = async (file: string, picture: Picture) => {
    const mimeType = file.endsWith('.png') ? 'image/png' as const : 'image/jpeg' as const;
    out.set(file, { bytes: await encode(picture, mimeType), mimeType });
  };
  const part = (name: string) => { const found = figure.parts.find((entry) => entry.name === name); if (!found) throw new Error(`paintPilot: no part ${name}`); return [{ surface: found.surface, extra: found.extra }]; };
  const half = size / 2;
  progress('face');
  await keep('pilot_head_color.jpg', bake(part('Head'), size, 3, paintFace(tone, figure.head.traits)));
  await keep('pilot_head_normal.png', normalsFromHeight(half, (u, v) => 0.6 * noise(u * half * 0.42, v * half * 0.42) + 0.4 * fractal(u * 90, v * 90, 3, 3), 0.55));
  await keep('pilot_head_orm.png', bake(part('Head'), half, 3, (t) => [1, (t.extra[0] > 0.2 ? 0.38 : 0.56) + 0.12 * (fractal(t.x * 160, t.y * 160, t.z * 160, 3) - 0.5), 0]));
  await keep('pilot_hands_color.jpg', bake(part('Hands'), half, 3, paintHand(tone)));
  await keep('pilot_eye_color.png', paintFlat(half / 2, 3, paintEye([0.36, 0.46, 0.5])));
  await keep('pilot_teeth_color.png', paintFlat(Math.max(64, half / 8), 3, (u, v) => { const gum = v % 0.5 < 0.09; return gum ? [0.55, 0.28, 0.28] : [0.84, 0.8, 0.7].map((c) => c * (0.86 + 0.14 * Math.abs(Math.sin(u * 44)))); }));
  await keep('pilot_hair_color.png', paintFlat(half, 4, hairStrands));
  await keep('pilot_lash_color.png', paintFlat(half / 2, 4, lashStrands));
  progress('cloth');
  const threads = weave(half / 5), ribs = knit(46);
  await keep('weave_normal.png', normalsFromHeight(half, weave(half / 5), 0.32));
  await keep('knit_normal.png', normalsFromHeight(half, ribs, 1.5));
  await keep('jacket_color.jpg', bake(part('Foul_Weather_Jacket'), half, 3, paintCloth([0.78, 0.33, 0.11], threads, { salt: 0.7, trim: jacketTrim })));
  await keep('jacket_orm.png', bake(part('Foul_Weather_Jacket'), half, 3, (t) => [0.85 + 0.15 * fractal(t.x * 14, t.y * 14, t.z * 14, 3), 0.46 + 0.2 * fractal(t.x * 20, t.y * 20, t.z * 20, 4), 0]));
  await keep('trousers_color.jpg', bake(part('Trousers'), half, 3, paintCloth([0.13, 0.17, 0.23], threads, { salt: 0.4, trim: (t) => (Math.abs(t.y - 0.33) < 0.022 ? REFLECTIVE : null) })));
  await keep('boots_color.jpg', bake(part('Boots'), half, 3, paintCloth([0.1, 0.115, 0.11], () => 0.5, { trim: (t) => (t.y < 0.03 ? [0.62, 0.52, 0.36] : Math.abs(t.y - 0.295) < 0.01 ? [0.75, 0.3, 0.1] : null) })));
  await keep('beanie_color.jpg', bake(part('Beanie'), half, 3, paintCloth([0.12, 0.2, 0.3], ribs)));
  await keep('vest_color.png', bake(part('Life_Vest'), half, 4, (t) => [...paintCloth([0.86, 0.7, 0.1], threads, { trim: vestTrim })(t), 1]));
  return out;
}

/** Reflective bands on sleeves and chest, dark shoulders, the zip's dark flap. */
function jacketTrim(t: Texel): readonly number[] | null {
  const x = Math.abs(t.x);
  const arm = (x - 0.185) * 0.707 - (t.y - 1.425) * 0.707;
  if (x > 0.2 && Math.abs(arm - 0.36) < 0.022) return REFLECTIVE;
  if (x < 0.2 && Math.abs(t.y - 1.0) < 0.014 && Math.abs(t.x - 0.006) > 0.03) return REFLECTIVE;
  if (t.y > 1.4 + 0.03 * Math.cos(x * 9) || (x > 0.2 && arm > 0.5) || t.y < 0.9) return [0.11, 0.13, 0.17];
  return t.z > 0.05 && Math.abs(t.x - 0.006) < 0.027 ? [0.62, 0.25, 0.08] : null;
}

function vestTrim(t: Texel): readonly number[] | null {
  if (Math.abs(t.y - 1.165) < 0.021) return [0.09, 0.1, 0.12];
  if (t.y < 1.45 && Math.abs(t.y - 1.31) < 0.016) return REFLECTIVE;
  return t.y > 1.455 ? [0.13, 0.14, 0.17] : null;
}

/** Four strips of hair strands side by side; each thins towards its end. */
function hairStrands(u: number, v: number): number[] {
  const strip = Math.floor(u * 4), x = u * 4 - strip;
  const strand = noise(x * 34 + strip * 100, v * 2.5, strip), fine = noise(x * 90 + strip * 70, v * 3, 9);
  const inside = Math.min(1, Math.min(x, 1 - x) * 7) * Math.min(1, (1 - v) * 2.4) * Math.min(1, v * 12 + 0.4);
  const alpha = Math.max(0, Math.min(1, (strand * 0.6 + fine * 0.6 + inside * 0.75 - 0.92) * 4));
  const light = 0.65 + 0.6 * fine;
  return [0.27 * light, 0.2 * light, 0.145 * light, alpha];
}

function lashStrands(u: number, v: number): number[] {
  const lane = u * 46, k = Math.floor(lane), bend = (lane - k - 0.5 + (1 - v) * 0.35 * (noise(k, 2, 5) - 0.5) * 2) * 2, long = 0.35 + 0.6 * noise(k * 1.7, 1, 3);
  const up = 1 - v;
  const width = 0.55 * (1 - up / long);
  return [0.05, 0.04, 0.035, up < long && Math.abs(bend) < width ? 1 : up < 0.06 ? 0.9 : 0];
}
