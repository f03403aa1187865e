import { len } from './head/curves.ts';
import { WARDROBE, type GarmentName } from './body/wardrobe.ts';
import type { Figure } from './figure.ts';
import { bake, normalsFromHeight, paintFlat, type Picture, type Texel } from './paint/bake.ts';
import { knit, paintCloth, weave } from './paint/cloth.ts';
import { paintEye } from './paint/eye.ts';
import { fractal, noise } from './paint/noise.ts';
import { paintBody, paintFace, paintHand, sRgb } from './paint/skin.ts';
import type { Person } from './people.ts';

/** Writes a picture in a file format; the platform's codec. */
export type EncodeImage = (picture: Picture, mimeType: 'image/png' | 'image/jpeg') => Promise<Uint8Array>;
export type Bitmaps = Map<string, { bytes: Uint8Array; mimeType: 'image/png' | 'image/jpeg' }>;

const REFLECTIVE = [0.82, 0.84, 0.84];

/** How a garment is painted: colour, grain, trims by place (in a figure of 179 cm), and what its normal map is. */
interface ClothPaint {
  file: string;
  base: readonly number[];
  grain: 'weave' | 'knit' | 'smooth';
  salt?: number;
  trim?: (t: Texel) => readonly number[] | null;
  normal?: 'weave' | 'knit';
  roughness?: number;
  map?: boolean;
}
const band = (at: number, half: number) => (t: Texel) => Math.abs(t.y - at) < half;
const CLOTH: Partial<Record<GarmentName, ClothPaint>> = {
  jacket: {
    file: 'jacket_color.jpg',
    base: [0.78, 0.33, 0.11],
    grain: 'weave',
    salt: 0.7,
    trim: jacketTrim,
    normal: 'weave',
    map: true,
  },
  trousers: {
    file: 'trousers_color.jpg',
    base: [0.13, 0.17, 0.23],
    grain: 'weave',
    salt: 0.4,
    trim: (t) => (band(0.33, 0.022)(t) ? REFLECTIVE : null),
    normal: 'weave',
    roughness: 0.75,
  },
  boots: {
    file: 'boots_color.jpg',
    base: [0.1, 0.115, 0.11],
    grain: 'smooth',
    trim: (t) => (t.y < 0.037 ? [0.62, 0.52, 0.36] : band(0.295, 0.01)(t) ? [0.75, 0.3, 0.1] : null),
    roughness: 0.42,
  },
  beanie: { file: 'beanie_color.jpg', base: [0.12, 0.2, 0.3], grain: 'knit', normal: 'knit', roughness: 0.95 },
  sweater: {
    file: 'sweater_color.jpg',
    base: [0.2, 0.23, 0.22],
    grain: 'knit',
    trim: (t) =>
      t.y < 0.905 || Math.abs((Math.abs(t.x) - 0.185) * 0.707 - (t.y - 1.425) * 0.707) > 0.5
        ? [0.15, 0.18, 0.18]
        : null,
    normal: 'knit',
    roughness: 0.92,
  },
  bib: {
    file: 'bib_color.jpg',
    base: [0.72, 0.5, 0.08],
    grain: 'weave',
    salt: 0.6,
    trim: (t) => (t.y > 1.31 ? [0.12, 0.13, 0.15] : null),
    normal: 'weave',
    roughness: 0.55,
  },
  overalls: {
    file: 'overalls_color.jpg',
    base: [0.16, 0.24, 0.37],
    grain: 'weave',
    trim: (t) =>
      band(0.33, 0.02)(t) || (Math.abs(t.x) < 0.19 && band(1.22, 0.016)(t))
        ? REFLECTIVE
        : t.z > 0.05 && Math.abs(t.x) < 0.013 && t.y > 0.96
          ? [0.1, 0.13, 0.2]
          : null,
    normal: 'weave',
    map: true,
  },
  drysuit: {
    file: 'drysuit_color.jpg',
    base: [0.7, 0.12, 0.09],
    grain: 'weave',
    salt: 0.3,
    trim: (t) =>
      t.y > 1.485 ||
      (Math.abs(t.x) > 0.04 && band(0.5, 0.06)(t) && t.z > 0) ||
      (Math.abs(t.x) - 0.185) * 0.707 - (t.y - 1.425) * 0.707 > 0.505
        ? [0.07, 0.07, 0.08]
        : Math.abs(t.x) > 0.232 && Math.abs((Math.abs(t.x) - 0.185) * 0.707 - (t.y - 1.425) * 0.707 - 0.14) < 0.03
          ? [0.86, 0.72, 0.1]
          : null,
    normal: 'weave',
    map: true,
  },
  waistcoat: {
    file: 'waistcoat_color.jpg',
    base: [0.8, 0.86, 0.12],
    grain: 'weave',
    trim: (t) =>
      band(1.03, 0.024)(t) || band(1.2, 0.024)(t) || (Math.abs(Math.abs(t.x) - 0.105) < 0.018 && t.y > 1.2)
        ? REFLECTIVE
        : null,
    normal: 'weave',
    roughness: 0.7,
  },
  headset: {
    file: 'headset_color.jpg',
    base: [0.09, 0.095, 0.1],
    grain: 'smooth',
    trim: (t) => (Math.abs(t.x) > 0.088 && len(t.y - 1.65, t.z - 0.005) < 0.013 ? [0.7, 0.36, 0.14] : null),
    roughness: 0.35,
  },
  lanyard: {
    file: 'lanyard_color.jpg',
    base: [0.1, 0.36, 0.42],
    grain: 'weave',
    trim: (t) =>
      t.y < 1.232
        ? t.y > 1.205
          ? [0.1, 0.36, 0.42]
          : len((t.x + 0.015) / 0.011, (t.y - 1.18) / 0.014) < 1
            ? [0.4, 0.28, 0.2]
            : [0.88, 0.88, 0.85]
        : null,
    roughness: 0.6,
  },
};

/** All maps of a person. @param figure on the average skeleton @param size of the largest maps, pixels */
export async function paintPerson(
  figure: Figure,
  person: Person,
  size: number,
  encode: EncodeImage,
  progress: (message: string) => void,
): Promise<Bitmaps> {
  const out: Bitmaps = new Map();
  const keep = async (file: string, picture: Picture) => {
    const mimeType = file.endsWith('.png') ? ('image/png' as const) : ('image/jpeg' as const);
    out.set(`${person.prefix}_${file}`, { bytes: await encode(picture, mimeType), mimeType });
  };
  const part = (name: string) => {
    const found = figure.parts.find((entry) => entry.name === name);
    if (!found) throw new Error(`paintPerson: no part ${name}`);
    return [{ surface: found.surface, extra: found.extra }];
  };
  const half = size / 2,
    { tone, hair } = person;
  progress('face');
  await keep(
    'head_color.jpg',
    bake(
      part('Head'),
      size,
      3,
      paintFace(
        tone,
        figure.head.traits,
        hair.color.map((c) => c * c * 0.55),
      ),
    ),
  );
  await keep(
    'head_normal.png',
    normalsFromHeight(
      half,
      (u, v) => 0.6 * noise(u * half * 0.42, v * half * 0.42) + 0.4 * fractal(u * 90, v * 90, 3, 3),
      0.34,
    ),
  );
  await keep(
    'head_orm.png',
    bake(part('Head'), half, 3, (t) => [
      1,
      (t.extra[0] > 0.2 ? 0.38 : 0.56) + 0.12 * (fractal(t.x * 160, t.y * 160, t.z * 160, 3) - 0.5),
      0,
    ]),
  );
  await keep('hands_color.jpg', bake(part('Hands'), half, 3, paintHand(tone)));
  await keep('body_color.jpg', bake(part('Body'), half, 3, paintBody(tone)));
  await keep(
    'body_orm.png',
    bake(part('Body'), half, 3, (t) => [1, 0.62 + 0.2 * (fractal(t.x * 90, t.y * 90, t.z * 90, 3) - 0.5), 0]),
  );
  await keep(
    'tongue_color.jpg',
    paintFlat(Math.max(64, half / 4), 3, (u, v) => {
      const bumps = noise(u * 90, v * 110) - 0.5,
        m = fractal(u * 9, v * 9, 2, 3) - 0.5;
      return [0.66 + 0.1 * m + 0.08 * bumps, 0.34 + 0.1 * m + 0.1 * bumps, 0.34 + 0.08 * m + 0.08 * bumps];
    }),
  );
  await keep('brow_color.png', paintFlat(Math.max(64, half / 4), 4, hairStrands(tone.brow.map(sRgb), 16)));
  await keep('scalp_color.png', paintFlat(Math.max(64, half / 2), 4, scalpStubble(hair.color)));
  await keep('eye_color.png', paintFlat(half / 2, 3, paintEye(person.iris)));
  await keep(
    'teeth_color.png',
    paintFlat(Math.max(64, half / 8), 3, (u) =>
      [0.84, 0.8, 0.7].map((c) => c * (0.86 + 0.14 * Math.abs(Math.sin(u * 44)))),
    ),
  );
  await keep('hair_color.png', paintFlat(half, 4, hairStrands(hair.color)));
  await keep('lash_color.png', paintFlat(half / 2, 4, lashStrands));
  const grains = { weave: weave(half / 5), knit: knit(46), smooth: () => 0.5 };
  const normals = new Set(person.wears.map((name) => CLOTH[name]?.normal));
  if (person.wears.includes('vest') || normals.has('weave'))
    await keep('weave_normal.png', normalsFromHeight(half, weave(half / 5), 0.32));
  if (normals.has('knit')) await keep('knit_normal.png', normalsFromHeight(half, grains.knit, 1.5));
  for (const name of person.wears) {
    const cloth = CLOTH[name];
    if (name === 'vest') {
      progress('vest');
      await keep(
        'vest_color.png',
        bake(part('Life_Vest'), half, 4, (t) => [
          ...paintCloth([0.86, 0.7, 0.1], grains.weave, { trim: vestTrim })(t),
          1,
        ]),
      );
    }
    if (!cloth) continue;
    progress(`cloth of the ${name}`);
    const partName = WARDROBE[name].part;
    // The largest garment covers half of the picture: it gets as many texels as the face.
    await keep(
      cloth.file,
      bake(
        part(partName),
        name === person.wears[0] ? size : half,
        3,
        paintCloth(person.colors?.[name] ?? cloth.base, grains[cloth.grain], { salt: cloth.salt, trim: cloth.trim }),
      ),
    );
    if (cloth.map)
      await keep(
        cloth.file.replace('_color.jpg', '_orm.png'),
        bake(part(partName), half, 3, (t) => [
          Math.min(1, t.extra[0] * (0.9 + 0.1 * fractal(t.x * 14, t.y * 14, t.z * 14, 3))),
          0.62 + 0.2 * fractal(t.x * 20, t.y * 20, t.z * 20, 4),
          0,
        ]),
      );
  }
  return out;
}

/** What each of a person's materials is made of, by material name. */
export function materialsOf(person: Person): Map<string, MaterialSpec> {
  const file = (name: string) => `${person.prefix}_${name}`;
  const out = new Map<string, MaterialSpec>([
    [
      'Skin_Head',
      { color: file('head_color.jpg'), normal: file('head_normal.png'), surface: file('head_orm.png'), index: 1.4 },
    ],
    ['Skin_Hands', { color: file('hands_color.jpg'), roughness: 0.58, index: 1.4 }],
    ['Skin_Body', { color: file('body_color.jpg'), surface: file('body_orm.png'), index: 1.4 }],
    [
      'Nails',
      {
        factor: [
          person.tone.base[0] * 1.05 + 0.03,
          person.tone.base[1] * 0.95 + 0.03,
          person.tone.base[2] * 0.95 + 0.035,
          1,
        ],
        roughness: 0.24,
        index: 1.5,
      },
    ],
    ['Gums', { factor: [0.33, 0.09, 0.085, 1], roughness: 0.28 }],
    ['Tongue', { color: file('tongue_color.jpg'), roughness: 0.35 }],
    ['Tear_Line', { factor: [1, 1, 1, 0.18], roughness: 0.03, alpha: 'BLEND', index: 1.336 }],
    ['Brows', { color: file('brow_color.png'), roughness: 0.6, alpha: 'BLEND' }],
    ['Scalp', { color: file('scalp_color.png'), roughness: 0.7, alpha: 'MASK' }],
    ['Eyes', { color: file('eye_color.png'), roughness: 0.35 }],
    ['Cornea', { factor: [1, 1, 1, 0.1], roughness: 0.04, alpha: 'BLEND', index: 1.376 }],
    ['Lashes', { color: file('lash_color.png'), roughness: 0.8, alpha: 'BLEND' }],
    ['Teeth', { color: file('teeth_color.png'), roughness: 0.3 }],
    ['Hair', { color: file('hair_color.png'), roughness: 0.55, alpha: 'BLEND' }],
  ]);
  for (const name of person.wears) {
    const cloth = CLOTH[name];
    if (name === 'vest')
      out.set('Vest_Webbing', { color: file('vest_color.png'), normal: file('weave_normal.png'), roughness: 0.7 });
    if (cloth)
      out.set(WARDROBE[name].material, {
        color: file(cloth.file),
        normal: cloth.normal && file(`${cloth.normal}_normal.png`),
        surface: cloth.map ? file(cloth.file.replace('_color.jpg', '_orm.png')) : undefined,
        roughness: cloth.roughness,
      });
  }
  return out;
}
export interface MaterialSpec {
  color?: string;
  normal?: string;
  surface?: string;
  roughness?: number;
  alpha?: 'BLEND' | 'MASK';
  factor?: [number, number, number, number];
  index?: number;
}

/** Reflective bands on sleeves and chest, dark shoulders, the zip's dark flap. */
function jacketTrim(t: Texel): readonly number[] | null {
  const x = Math.abs(t.x);
  const arm = (x - 0.185) * 0.707 - (t.y - 1.425) * 0.707;
  // The flank beside the hem lies as far along the arm's line as its band.
  if (x > 0.3 && Math.abs(arm - 0.36) < 0.022) return REFLECTIVE;
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
const hairStrands =
  (color: readonly number[], strands = 34) =>
  (u: number, v: number): number[] => {
    const strip = Math.floor(u * 4),
      x = u * 4 - strip;
    const strand = noise(x * strands + strip * 100, v * 2.5, strip),
      fine = noise(x * 90 + strip * 70, v * 3, 9);
    const inside = Math.min(1, Math.min(x, 1 - x) * 7) * Math.min(1, (1 - v) * 2.4) * Math.min(1, v * 12 + 0.4);
    const alpha = Math.max(0, Math.min(1, (strand * 0.6 + fine * 0.6 + inside * 0.75 - 0.92) * 4));
    const light = 0.65 + 0.6 * fine;
    return [...color.map((c) => c * light), alpha];
  };

/** Roots of hair on a skull, thinning out at the hairline (v = 1). */
const scalpStubble =
  (color: readonly number[]) =>
  (u: number, v: number): number[] => {
    const hairs = noise(u * 420, v * 70, 4),
      alpha = (0.75 + 0.5 * hairs) * Math.max(0, Math.min(1, (0.99 - v + 0.06 * (hairs - 0.5)) * 11));
    return [...color.map((c) => c * (0.42 + 0.3 * hairs)), Math.max(0, Math.min(1, alpha))];
  };

function lashStrands(u: number, v: number): number[] {
  const lane = u * 46,
    k = Math.floor(lane),
    bend = (lane - k - 0.5 + (1 - v) * 0.35 * (noise(k, 2, 5) - 0.5) * 2) * 2,
    long = 0.35 + 0.6 * noise(k * 1.7, 1, 3);
  const up = 1 - v;
  const width = 0.55 * (1 - up / long);
  return [0.05, 0.04, 0.035, up < long && Math.abs(bend) < width ? 1 : up < 0.06 ? 0.9 : 0];
}
