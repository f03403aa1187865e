import * as v from 'valibot';

/** What one channel of a map beside the model can hold; colours as sRGB, everything else as it is. */
export const CHANNEL_SOURCES = [
  'color-red',
  'color-green',
  'color-blue',
  'opacity',
  'normal-x',
  'normal-y',
  'normal-y-down',
  'normal-z',
  'occlusion',
  'roughness',
  'smoothness',
  'metalness',
  'emissive-red',
  'emissive-green',
  'emissive-blue',
  'black',
  'white',
] as const;
export type ChannelSource = (typeof CHANNEL_SOURCES)[number];
const Source = v.picklist(CHANNEL_SOURCES);

/** One file for each material: its name, and what its channels hold. Without alpha it has three channels. */
export const MapLayoutSchema = v.object({
  /** `{material}`, `{character}` and `{target}` stand for names; the ending follows the format. */
  name: v.pipe(
    v.string(),
    v.minLength(1),
    v.maxLength(120),
    v.includes('{material}', 'with {material} in it, or files of two materials would have one name'),
    v.regex(/^[^/\\:*?"<>|]+$/, 'without / \\ : * ? " < > |'),
  ),
  red: Source,
  green: Source,
  blue: Source,
  alpha: v.optional(Source),
});
export type MapLayout = v.InferOutput<typeof MapLayoutSchema>;

export const BesideSchema = v.object({
  folder: v.optional(
    v.pipe(v.string(), v.regex(/^[A-Za-z0-9_-]{1,40}$/, 'letters, digits, hyphens and underscores')),
    'maps',
  ),
  format: v.optional(v.picklist(['image/png', 'image/jpeg', 'image/webp']), 'image/png'),
  layouts: v.pipe(v.array(MapLayoutSchema), v.minLength(1), v.maxLength(12)),
});
export type Beside = v.InferOutput<typeof BesideSchema>;

/** How occlusion, roughness and metalness lie in the model's own maps: as they come, in one, or occlusion on its own. */
export const CHANNEL_PACKINGS = ['keep', 'one', 'apart'] as const;
export type ChannelPacking = (typeof CHANNEL_PACKINGS)[number];

/** Layouts that engines commonly ask for, to begin from. */
export const COMMON_LAYOUTS: readonly { title: string; layouts: readonly MapLayout[] }[] = [
  {
    title: 'Colour with opacity, normals, and occlusion, roughness, metalness in one',
    layouts: [
      { name: '{material}_color', red: 'color-red', green: 'color-green', blue: 'color-blue', alpha: 'opacity' },
      { name: '{material}_normal', red: 'normal-x', green: 'normal-y', blue: 'normal-z' },
      { name: '{material}_orm', red: 'occlusion', green: 'roughness', blue: 'metalness' },
    ],
  },
  {
    title: 'Metalness, occlusion, and smoothness in an alpha',
    layouts: [
      { name: '{material}_color', red: 'color-red', green: 'color-green', blue: 'color-blue', alpha: 'opacity' },
      { name: '{material}_normal', red: 'normal-x', green: 'normal-y', blue: 'normal-z' },
      { name: '{material}_mask', red: 'metalness', green: 'occlusion', blue: 'black', alpha: 'smoothness' },
    ],
  },
  {
    title: 'Each on its own, normals green down',
    layouts: [
      { name: '{material}_color', red: 'color-red', green: 'color-green', blue: 'color-blue' },
      { name: '{material}_normal', red: 'normal-x', green: 'normal-y-down', blue: 'normal-z' },
      { name: '{material}_roughness', red: 'roughness', green: 'roughness', blue: 'roughness' },
      { name: '{material}_metalness', red: 'metalness', green: 'metalness', blue: 'metalness' },
      { name: '{material}_occlusion', red: 'occlusion', green: 'occlusion', blue: 'occlusion' },
      { name: '{material}_opacity', red: 'opacity', green: 'opacity', blue: 'opacity' },
    ],
  },
];
