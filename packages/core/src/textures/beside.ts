import type { Document, Material, Texture, TextureInfo } from '@gltf-transform/core';
import { type InputFile, writePng } from '../formats/index.ts';
import { type ImageCodec, LINEAR, type Pixels, toSrgb } from '../pixels/index.ts';
import type { Finding } from '../problem.ts';
import type { Beside, ChannelSource, MapLayout } from '../targets/index.ts';

/** What lies beside the model for one material. */
export interface MaterialMaps {
  material: string;
  files: { path: string; channels: Partial<Record<'red' | 'green' | 'blue' | 'alpha', ChannelSource>> }[];
  /** What no map says: linear colour, opacity, roughness, metalness, emission. */
  values: {
    color: [number, number, number];
    opacity: number;
    roughness: number;
    metalness: number;
    emissive: [number, number, number];
  };
}

type Role = 'color' | 'normal' | 'surface' | 'occlusion' | 'emissive';
interface Place {
  texture: Texture;
  info: TextureInfo;
}
const SOURCE: Record<ChannelSource, Role | null> = {
  'color-red': 'color',
  'color-green': 'color',
  'color-blue': 'color',
  opacity: 'color',
  'normal-x': 'normal',
  'normal-y': 'normal',
  'normal-y-down': 'normal',
  'normal-z': 'normal',
  occlusion: 'occlusion',
  roughness: 'surface',
  smoothness: 'surface',
  metalness: 'surface',
  'emissive-red': 'emissive',
  'emissive-green': 'emissive',
  'emissive-blue': 'emissive',
  black: null,
  white: null,
};
const LETTERS = ['red', 'green', 'blue', 'alpha'] as const;

/**
 * Every material's maps in the layouts that a target asks for, factors worked in, so that an engine needs nothing but the
 * files. A layout of which nothing of a material has a map gives no file: its values stand in the list. Materials
 * that come to the same share a file.
 * @param document as it is delivered, maps written
 * @param names what stands for `{character}` and `{target}`
 */
export async function mapsBeside(
  document: Document,
  beside: Beside,
  names: { character: string; target: string },
  images: ImageCodec,
): Promise<{ files: InputFile[]; list: MaterialMaps[]; findings: Finding[] }> {
  const files: InputFile[] = [],
    findings: Finding[] = [],
    list: MaterialMaps[] = [],
    made = new Map<string, string>(),
    taken = new Set<string>(),
    textures = document.getRoot().listTextures(),
    open = decoder(images);
  for (const material of document.getRoot().listMaterials()) {
    const places = placesOf(material),
      own: MaterialMaps = { material: material.getName(), files: [], values: valuesOf(material) };
    list.push(own);
    for (const layout of beside.layouts) {
      const used = rolesOf(layout).flatMap((role) => (places[role] ? [role] : []));
      if (!used.length) continue;
      const { fitting, astray } = alike(used, places);
      for (const role of astray)
        findings.push({
          code: 'textures.other-places',
          severity: 'warning',
          message: `The ${role} map of “${material.getName()}” lies on other texture places than its ${used[0]} map; “${layout.name}” has it at its factor alone.`,
          where: material.getName(),
        });
      const channels = Object.fromEntries(
        LETTERS.flatMap((letter) => (layout[letter] ? [[letter, layout[letter]]] : [])),
      );
      const key = JSON.stringify([
        LETTERS.map((letter) => layout[letter]),
        fitting.map((role) => [role, textures.indexOf((places[role] as Place).texture)]),
        own.values,
        material.getAlphaMode() === 'OPAQUE',
        material.getNormalScale(),
        material.getOcclusionStrength(),
      ]);
      let path = made.get(key);
      if (path === undefined) {
        const maps = new Map<Role, Pixels>();
        for (const role of fitting) {
          const pixels = await open((places[role] as Place).texture);
          if (pixels) maps.set(role, pixels);
        }
        if (!maps.size) continue;
        path = `${beside.folder}/${freeName(nameOf(layout.name, material.getName(), names), beside.format, taken)}`;
        made.set(key, path);
        files.push({ path, bytes: await encode(composed(material, layout, maps), layout, beside, images) });
      }
      own.files.push({ path, channels });
    }
  }
  return { files, list, findings };
}

/** The first that a layout uses says where its file lies on the surface. */
const RANK: readonly Role[] = ['color', 'normal', 'surface', 'emissive', 'occlusion'];
const rolesOf = (layout: MapLayout): Role[] =>
  RANK.filter((role) => LETTERS.some((letter) => layout[letter] && SOURCE[layout[letter]] === role));

function placesOf(material: Material): Partial<Record<Role, Place>> {
  const place = (texture: Texture | null, info: TextureInfo | null): Place | undefined =>
    texture && info ? { texture, info } : undefined;
  return {
    color: place(material.getBaseColorTexture(), material.getBaseColorTextureInfo()),
    normal: place(material.getNormalTexture(), material.getNormalTextureInfo()),
    surface: place(material.getMetallicRoughnessTexture(), material.getMetallicRoughnessTextureInfo()),
    occlusion: place(material.getOcclusionTexture(), material.getOcclusionTextureInfo()),
    emissive: place(material.getEmissiveTexture(), material.getEmissiveTextureInfo()),
  };
}

/** Maps that lie on the same texture places as the first of them, and the others: those can't share a picture. */
function alike(roles: readonly Role[], places: Partial<Record<Role, Place>>): { fitting: Role[]; astray: Role[] } {
  const keyOf = (role: Role): string => {
    const info = (places[role] as Place).info,
      moved = info.getExtension('KHR_texture_transform') as {
        getOffset(): number[];
        getRotation(): number;
        getScale(): number[];
        getTexCoord(): number | null;
      } | null;
    return JSON.stringify([
      moved?.getTexCoord() ?? info.getTexCoord(),
      moved ? [moved.getOffset(), moved.getRotation(), moved.getScale()] : [[0, 0], 0, [1, 1]],
    ]);
  };
  const first = keyOf(roles[0]);
  return {
    fitting: roles.filter((role) => keyOf(role) === first),
    astray: roles.filter((role) => keyOf(role) !== first),
  };
}

function valuesOf(material: Material): MaterialMaps['values'] {
  const [r, g, b, opacity] = material.getBaseColorFactor();
  return {
    color: [r, g, b],
    opacity: material.getAlphaMode() === 'OPAQUE' ? 1 : opacity,
    roughness: material.getRoughnessFactor(),
    metalness: material.getMetallicFactor(),
    emissive: [...material.getEmissiveFactor()] as [number, number, number],
  };
}

/** Each image opened once. */
function decoder(images: ImageCodec): (texture: Texture) => Promise<Pixels | null> {
  const known = new Map<Texture, Promise<Pixels | null>>();
  return (texture) => {
    let found = known.get(texture);
    if (!found) {
      const image = texture.getImage();
      found = image?.length ? images.decode(image).catch(() => null) : Promise.resolve(null);
      known.set(texture, found);
    }
    return found;
  };
}

function composed(material: Material, layout: MapLayout, maps: ReadonlyMap<Role, Pixels>): Pixels {
  const width = Math.max(...[...maps.values()].map((map) => map.width)),
    height = Math.max(...[...maps.values()].map((map) => map.height)),
    data = new Uint8Array(width * height * 4).fill(255);
  for (const [k, letter] of LETTERS.entries()) {
    const source = layout[letter];
    if (!source) continue;
    const role = SOURCE[source],
      map = role ? maps.get(role) : undefined,
      write = writerOf(source, material, map !== undefined);
    for (let y = 0, o = k; y < height; y++)
      for (let x = 0; x < width; x++, o += 4)
        data[o] = map ? write((channel) => at(map, x, y, width, height, channel)) : write(() => 255);
  }
  return { width, height, data };
}

type Read = (channel: 0 | 1 | 2 | 3) => number;
const byte = (value: number): number => Math.max(0, Math.min(255, Math.round(value)));

/** What a channel of the file holds, of a texel of the map it comes from; of 255 where there is none, so that factors speak. */
function writerOf(source: ChannelSource, material: Material, mapped: boolean): (read: Read) => number {
  const factor = material.getBaseColorFactor(),
    emissive = material.getEmissiveFactor(),
    color = (channel: 0 | 1 | 2, by: number) => (read: Read) =>
      byte(by === 1 ? read(channel) : toSrgb(LINEAR[Math.round(read(channel))] * by));
  switch (source) {
    case 'color-red':
      return color(0, factor[0]);
    case 'color-green':
      return color(1, factor[1]);
    case 'color-blue':
      return color(2, factor[2]);
    case 'opacity':
      return material.getAlphaMode() === 'OPAQUE' ? () => 255 : (read) => byte(read(3) * factor[3]);
    case 'normal-x':
    case 'normal-y':
    case 'normal-y-down':
    case 'normal-z':
      return mapped ? normalOf(source, material.getNormalScale()) : () => (source === 'normal-z' ? 255 : 128);
    case 'occlusion':
      return mapped ? (read) => byte(255 + material.getOcclusionStrength() * (read(0) - 255)) : () => 255;
    case 'roughness':
      return (read) => byte(read(1) * material.getRoughnessFactor());
    case 'smoothness':
      return (read) => 255 - byte(read(1) * material.getRoughnessFactor());
    case 'metalness':
      return (read) => byte(read(2) * material.getMetallicFactor());
    case 'emissive-red':
      return color(0, emissive[0]);
    case 'emissive-green':
      return color(1, emissive[1]);
    case 'emissive-blue':
      return color(2, emissive[2]);
    case 'black':
      return () => 0;
    default:
      return () => 255;
  }
}

function normalOf(source: ChannelSource, scale: number): (read: Read) => number {
  return (read) => {
    const x = (read(0) / 127.5 - 1) * scale,
      y = (read(1) / 127.5 - 1) * scale,
      z = read(2) / 127.5 - 1,
      length = Math.hypot(x, y, z) || 1;
    const value = source === 'normal-x' ? x : source === 'normal-z' ? z : source === 'normal-y' ? y : -y;
    return byte((value / length + 1) * 127.5);
  };
}

/** A channel of a map at a texel of a picture of another size, between its four nearest; pictures repeat. */
function at({ width, height, data }: Pixels, x: number, y: number, w: number, h: number, channel: number): number {
  if (width === w && height === h) return data[(y * w + x) * 4 + channel];
  const u = ((x + 0.5) / w) * width - 0.5,
    v = ((y + 0.5) / h) * height - 0.5,
    left = Math.floor(u),
    top = Math.floor(v),
    value = (i: number, j: number) => data[(((j + height) % height) * width + ((i + width) % width)) * 4 + channel];
  const above = value(left, top) + (value(left + 1, top) - value(left, top)) * (u - left),
    below = value(left, top + 1) + (value(left + 1, top + 1) - value(left, top + 1)) * (u - left);
  return above + (below - above) * (v - top);
}

async function encode(
  pixels: Pixels,
  layout: MapLayout,
  { format }: Beside,
  images: ImageCodec,
): Promise<Uint8Array<ArrayBuffer>> {
  const made = images.encode
    ? await images.encode(pixels, { mimeType: format, opaque: layout.alpha === undefined })
    : writePng(pixels);
  return made as Uint8Array<ArrayBuffer>;
}

const safe = (name: string): string =>
  name
    .normalize('NFC')
    .replace(/[^\p{L}\p{N}\p{M}_.-]+/gu, '_')
    .replace(/^\.+/, '_') || 'unnamed';

const nameOf = (pattern: string, material: string, names: { character: string; target: string }): string =>
  pattern.replace(/\{(material|character|target)\}/g, (_, key: string) =>
    safe(key === 'material' ? material : names[key as keyof typeof names]),
  );

function freeName(base: string, format: string, taken: Set<string>): string {
  const ending = format === 'image/jpeg' ? 'jpg' : format.slice(6);
  let name = `${base}.${ending}`;
  for (let n = 2; taken.has(name.toLowerCase()); n++) name = `${base}_${n}.${ending}`;
  taken.add(name.toLowerCase());
  return name;
}
