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
    data = new Uint8Array(width * height * 4).fill(255),
    normals: [number, NormalAxis][] = [];
  for (const [k, letter] of LETTERS.entries()) {
    const source = layout[letter];
    if (!source) continue;
    const role = SOURCE[source],
      map = role ? maps.get(role) : undefined;
    if (isNormal(source)) {
      if (map) normals.push([k, source]);
      else fill(data, k, source === 'normal-z' ? 255 : 128);
      continue;
    }
    const { channel, of } = writerOf(source, material);
    if (!map) fill(data, k, of(255));
    else if (map.width === width && map.height === height) copyChannel(map.data, channel, data, k, of);
    else
      for (let y = 0, o = k; y < height; y++)
        for (let x = 0; x < width; x++, o += 4)
          data[o] = of(between(map, (x + 0.5) / width, (y + 0.5) / height, channel));
  }
  const map = maps.get('normal');
  if (map && normals.length) writeNormals(map, material.getNormalScale(), { width, height, data }, normals);
  return { width, height, data };
}

const byte = (value: number): number => Math.max(0, Math.min(255, Math.round(value)));

function fill(data: Uint8Array, k: number, value: number): void {
  for (let o = k; o < data.length; o += 4) data[o] = value;
}

/** A channel of a map of the same size, each of its values worked out once. */
function copyChannel(
  from: Uint8Array,
  channel: number,
  to: Uint8Array,
  k: number,
  of: (value: number) => number,
): void {
  const table = Uint8Array.from({ length: 256 }, (_, value) => of(value));
  for (let i = channel, o = k; o < to.length; i += 4, o += 4) to[o] = table[from[i]];
}

interface Writer {
  channel: 0 | 1 | 2 | 3;
  /** Byte of the file for a value of the map, 0 … 255; of 255 where there is none, so that factors speak. */
  of: (value: number) => number;
}

/** What a channel of the file holds, of a texel of the map it comes from. */
function writerOf(source: Exclude<ChannelSource, NormalAxis>, material: Material): Writer {
  const factor = material.getBaseColorFactor(),
    emissive = material.getEmissiveFactor(),
    color = (channel: 0 | 1 | 2, by: number): Writer => ({
      channel,
      of: (value) => byte(by === 1 ? value : toSrgb(LINEAR[Math.round(value)] * by)),
    });
  switch (source) {
    case 'color-red':
      return color(0, factor[0]);
    case 'color-green':
      return color(1, factor[1]);
    case 'color-blue':
      return color(2, factor[2]);
    case 'opacity':
      return { channel: 3, of: material.getAlphaMode() === 'OPAQUE' ? () => 255 : (value) => byte(value * factor[3]) };
    case 'occlusion':
      return { channel: 0, of: (value) => byte(255 + material.getOcclusionStrength() * (value - 255)) };
    case 'roughness':
      return { channel: 1, of: (value) => byte(value * material.getRoughnessFactor()) };
    case 'smoothness':
      return { channel: 1, of: (value) => 255 - byte(value * material.getRoughnessFactor()) };
    case 'metalness':
      return { channel: 2, of: (value) => byte(value * material.getMetallicFactor()) };
    case 'emissive-red':
      return color(0, emissive[0]);
    case 'emissive-green':
      return color(1, emissive[1]);
    case 'emissive-blue':
      return color(2, emissive[2]);
    case 'black':
      return { channel: 0, of: () => 0 };
    default:
      return { channel: 0, of: () => 255 };
  }
}

type NormalAxis = 'normal-x' | 'normal-y' | 'normal-y-down' | 'normal-z';
const isNormal = (source: ChannelSource): source is NormalAxis => SOURCE[source] === 'normal';

/** Axes of a normal map, scaled and of unit length again; all that a file has of them from one look at a texel. */
function writeNormals(map: Pixels, scale: number, to: Pixels, axes: readonly [number, NormalAxis][]): void {
  const { width, height, data } = to,
    same = map.width === width && map.height === height,
    // Axes of a texel are read from one place: x, y, z, and y the other way round.
    wanted = axes.map(([, axis]) => AXES.indexOf(axis)),
    at = axes.map(([k]) => k),
    unit = new Float64Array(4);
  for (let y = 0, o = 0; y < height; y++)
    for (let x = 0; x < width; x++, o += 4) {
      const u = (x + 0.5) / width,
        v = (y + 0.5) / height,
        nx = ((same ? map.data[o] : between(map, u, v, 0)) / 127.5 - 1) * scale,
        ny = ((same ? map.data[o + 1] : between(map, u, v, 1)) / 127.5 - 1) * scale,
        nz = (same ? map.data[o + 2] : between(map, u, v, 2)) / 127.5 - 1,
        length = Math.sqrt(nx * nx + ny * ny + nz * nz) || 1;
      unit[0] = nx / length;
      unit[1] = ny / length;
      unit[2] = nz / length;
      unit[3] = -unit[1];
      for (let i = 0; i < at.length; i++) data[o + at[i]] = ((unit[wanted[i]] + 1) * 127.5 + 0.5) | 0;
    }
}
const AXES: readonly NormalAxis[] = ['normal-x', 'normal-y', 'normal-z', 'normal-y-down'];
