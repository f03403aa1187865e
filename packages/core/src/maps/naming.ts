import { wordsOf } from '../character/index.ts';

/** What an image file's name says it holds. `orm` is occlusion, roughness and metalness in one image. */
export const NAMED_CHANNELS = [
  'baseColor',
  'normal',
  'roughness',
  'gloss',
  'metallic',
  'occlusion',
  'orm',
  'opacity',
  'height',
  'bump',
  'specular',
  'emissive',
] as const;
export type NamedChannel = (typeof NAMED_CHANNELS)[number];

const WORDS: readonly [NamedChannel, RegExp][] = [
  ['orm', /^(orm|arm|occlusionroughnessmetallic|occlusionroughnessmetalness|aorm)$/],
  ['baseColor', /^(color|colour|basecolor|basecolour|base|albedo|alb|diffuse|diff|dif|col|bc|basemap|farbe|couleur)$/],
  ['normal', /^(normal|normals|normalmap|nrm|nrml|norm|nor|nml|nmap)$/],
  ['gloss', /^(gloss|glossiness|glossy|smoothness|smooth|gls|glossmap)$/],
  ['roughness', /^(roughness|rough|rgh|roughnessmap)$/],
  ['metallic', /^(metallic|metalness|metal|met|mtl|metallicmap)$/],
  ['occlusion', /^(ao|occlusion|ambientocclusion|occ|ambocc)$/],
  ['opacity', /^(opacity|alpha|transparency|transparent|cutout|mask|opac)$/],
  ['height', /^(height|displacement|disp|heightmap|displace)$/],
  ['bump', /^(bump|bmp|bumpmap)$/],
  ['specular', /^(specular|spec|spc|specularmap|reflection|refl)$/],
  ['emissive', /^(emissive|emission|emit|glow|emissionmap|selfillum)$/],
];
/** A single letter behind a separator, as the last word alone. */
const LETTERS: Readonly<Record<string, NamedChannel>> = {
  d: 'baseColor',
  n: 'normal',
  r: 'roughness',
  g: 'gloss',
  m: 'metallic',
  s: 'specular',
  h: 'height',
  e: 'emissive',
  o: 'opacity',
  b: 'bump',
};
const SIZE = /^(\d?\d?k|256|512|1024|2048|4096|8192|map|tex|texture|srgb|raw|linear|gl|dx|opengl|directx|\d{1,2})$/;
const TILE = /^1[0-9]\d\d$/;

/** The number of a texture tile: ten to a row, counted from 1001. */
export const tileNumber = (column: number, row: number): number => 1001 + column + 10 * row;

/** What stands for the tile's number where a file names all tiles at once. */
export const TILE_SIGN = /<udim>|%\(udim\)d/i;

export interface NamedImage {
  /** Words of the name without channel, size and tile. */
  base: string[];
  channel: NamedChannel | null;
  /** UDIM-like tile number, where the name has one. */
  tile: number | null;
}

/** Takes a file name apart: `Deckhand_Head_1001_Nrm_2k.png` → base “deckhand head”, tile 1001, normal. */
export function imageName(path: string): NamedImage {
  const name = path.replace(/^.*[\\/]/, '').replace(/\.[^.]+$/, '');
  // Tiles are numbered by column and row too: “_u2_v1” is 1002.
  const byPlace = /(?:^|[_.\- ])u(\d{1,2})[_.\- ]?v(\d{1,2})(?=$|[_.\- ])/i.exec(name);
  const words = wordsOf(byPlace ? name.replace(byPlace[0], '_') : name);
  let tile: number | null =
    byPlace && Number(byPlace[1]) >= 1 && Number(byPlace[1]) <= 10 && Number(byPlace[2]) >= 1
      ? tileNumber(Number(byPlace[1]) - 1, Number(byPlace[2]) - 1)
      : null;
  const kept = words.filter((word, i) => {
    if (TILE.test(word) && i > 0) {
      tile = Number(word);
      return false;
    }
    return !(i > 0 && SIZE.test(word)) && !/^k$/.test(word);
  });
  // The channel stands last as a rule, sometimes first; words run together count as one (“base color”).
  const channelAt = (at: number): { channel: NamedChannel; words: number } | null => {
    for (const many of [3, 2, 1]) {
      const from = at - many + 1;
      if (from < 0) continue;
      const joined = kept.slice(from, at + 1).join('');
      const found = WORDS.find(([, pattern]) => pattern.test(joined));
      if (found) return { channel: found[0], words: many };
    }
    return null;
  };
  for (let at = kept.length - 1; at >= 0; at--) {
    const found =
      channelAt(at) ??
      (at === kept.length - 1 && kept.length > 1 && LETTERS[kept[at]]
        ? { channel: LETTERS[kept[at]], words: 1 }
        : null);
    if (found)
      return { base: [...kept.slice(0, at - found.words + 1), ...kept.slice(at + 1)], channel: found.channel, tile };
  }
  return { base: kept, channel: null, tile };
}
