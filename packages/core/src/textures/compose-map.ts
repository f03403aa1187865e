import type { Material } from '@gltf-transform/core';
import { between, LINEAR, type Pixels, toSrgb } from '../pixels/index.ts';
import type { ChannelSource, MapLayout } from '../targets/index.ts';

/** Maps of a material that channels of a file are taken from. */
export type Role = 'color' | 'normal' | 'surface' | 'occlusion' | 'emissive';

export const SOURCE: Record<ChannelSource, Role | null> = {
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
export const LETTERS = ['red', 'green', 'blue', 'alpha'] as const;

/** A file of a layout, of the maps that it needs: as large as the largest of them, factors worked in. */
export function composed(material: Material, layout: MapLayout, maps: ReadonlyMap<Role, Pixels>): Pixels {
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

/** A channel of a map at a texel of a picture of another size. */
function at(map: Pixels, x: number, y: number, w: number, h: number, channel: number): number {
  return map.width === w && map.height === h
    ? map.data[(y * w + x) * 4 + channel]
    : between(map, (x + 0.5) / w, (y + 0.5) / h, channel);
}
