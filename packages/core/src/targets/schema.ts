import * as v from 'valibot';
import { ExpressionSetSchema } from './expression-sets.ts';
import { FigureSchema, type Figure } from './figure.ts';
import { PART_ROLES } from '../character/index.ts';
import { BesideSchema, CHANNEL_PACKINGS } from './map-layout.ts';
import { parseOrTell, ProblemError } from '../problem.ts';
import { ClipsWantedSchema } from './clips-wanted.ts';
import { FoldersSchema } from './folders.ts';
import { GradesSchema } from './grades.ts';
import { HOLDS_LEVELS, LevelsSchema } from './levels.ts';
import { NamesSchema } from './names.ts';
import { VrmMetaSchema } from './vrm-meta.ts';

const count = (most: number) => v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(most));
const id = v.pipe(v.string(), v.regex(/^[a-z0-9][a-z0-9-]{0,63}$/, 'lower-case letters, digits and hyphens'));

/** What a material can have beyond metallic–roughness, by the ratified extensions of glTF. */
export const MATERIAL_FEATURES = [
  'specular',
  'ior',
  'clearcoat',
  'sheen',
  'anisotropy',
  'transmission',
  'iridescence',
  'emissiveStrength',
  'unlit',
] as const;
export type MaterialFeature = (typeof MATERIAL_FEATURES)[number];

/** Limits of parity, by name. */
export const PARITY_LIMITS = ['rest', 'part', 'pose', 'pose-max', 'skin', 'inventory'] as const;
export type ParityLimit = (typeof PARITY_LIMITS)[number];

/** Limits of appearance, by name. */
export const APPEARANCE_LIMITS = ['other', 'changed', 'drawn', 'cover'] as const;
export type AppearanceLimit = (typeof APPEARANCE_LIMITS)[number];

/** What morphs are called by: a text with their own name in it. */
export const MORPH_PATTERN = v.pipe(
  v.string(),
  v.maxLength(100),
  v.check((text) => text.includes('{name}'), 'a text with {name} in it'),
);

/** What a model is delivered as. */
export const PACKAGE_FORMATS = ['glb', 'gltf', 'vrm', 'usda', 'usdz', 'dae', 'obj'] as const;
export type PackageFormat = (typeof PACKAGE_FORMATS)[number];

/** What of a figure may go out alone. */
export const ONLY = ['mesh', 'skeleton', 'motion', 'maps'] as const;
export type Only = (typeof ONLY)[number];

/** Formats that say their unit and axis; of the others each has its own (glTF 2.0 §3.4: metres, +Y up). */
export const CHOOSES_AXES: readonly PackageFormat[] = ['usda', 'usdz', 'dae'];

/** Formats whose maps lie within their file. */
export const HOLDS_MAPS: readonly PackageFormat[] = ['glb', 'vrm', 'usdz'];

/** How arrays are stored: as they are, as whole numbers, or coded. */
export const COMPRESSIONS = ['none', 'quantised', 'meshopt', 'draco'] as const;
export type Compression = (typeof COMPRESSIONS)[number];

/** Formats that have extensions for it. */
export const COMPRESSES: readonly PackageFormat[] = ['glb', 'gltf'];

/** Whether one thing of a figure may go out alone in a format: VRM is a whole figure, and OBJ has no joints. */
export const canGoAlone = (format: PackageFormat, only: Only): boolean =>
  only === 'maps' || (format !== 'vrm' && (format !== 'obj' || only === 'mesh'));

const PackageSchema = v.pipe(
  v.object({
    format: v.picklist(PACKAGE_FORMATS),
    /** Where the format has extensions for it: glTF. */
    compression: v.optional(v.picklist(COMPRESSIONS)),
    maxMB: v.optional(v.pipe(v.number(), v.minValue(1))),
    /** What points up, and metres per unit, where the format lets a target choose: USD and COLLADA. */
    upAxis: v.optional(v.picklist(['Y', 'Z'])),
    unitMetres: v.optional(v.pipe(v.number(), v.minValue(1e-4), v.maxValue(1000))),
    /** Which clips go out, and whether a rest pose and a range of motion are made. */
    clips: v.optional(ClipsWantedSchema),
    /** What model, parts, materials and maps are called. */
    names: v.optional(NamesSchema),
    /** Where in the package the model and its maps lie. */
    folders: v.optional(FoldersSchema),
    /** All parts in one file, or each in one of its own, with the whole skeleton. */
    parts: v.optional(v.picklist(['one', 'each'])),
    /** Levels of detail behind the nearest, which the other limits describe. */
    levels: v.optional(LevelsSchema),
    /** Where they lie: each in a file of its own, or all in one where the format has a way for it. */
    levelsIn: v.optional(v.picklist(['one', 'each'])),
    /** Only one thing of the figure goes out: its mesh as it stands, its joints, these with their clips, its maps as files. */
    only: v.optional(v.picklist(ONLY)),
    /** Joints, and every clip that moves them, as BVH beside the model. */
    bvh: v.optional(v.boolean()),
    /** Authors and licence, where the format has a place for them: VRM. */
    meta: v.optional(VrmMetaSchema),
  }),
  v.check(
    ({ format, upAxis = 'Y', unitMetres = 1 }) => CHOOSES_AXES.includes(format) || (upAxis === 'Y' && unitMetres === 1),
    'in metres with Y up, unless it is USD or COLLADA: the other formats leave no choice',
  ),
  v.check(
    ({ format, compression = 'none' }) => compression === 'none' || COMPRESSES.includes(format),
    'not compressed, unless it is .glb or .gltf: the other formats have no place for it',
  ),
  v.check(
    ({ format, levelsIn = 'each' }) => levelsIn === 'each' || HOLDS_LEVELS.includes(format),
    'a file each for its levels, unless it is glTF or USD: the other formats have no place for them',
  ),
  v.check(
    ({ format, parts = 'one' }) => format !== 'vrm' || parts === 'one',
    'all parts in one file where it is VRM: a figure of that format is one file',
  ),
  v.check(
    ({ format, only }) => only === undefined || canGoAlone(format, only),
    'all of the figure where it is VRM, and no joints alone where it is OBJ: ask for BVH beside the model',
  ),
);

/** Rules that always stop delivery: what breaks them is no figure that anybody could use. */
export const ALWAYS_BLOCK: readonly string[] = ['delivered.opens', 'delivered.finite', 'delivered.contents'];

const RulesSchema = v.pipe(
  v.record(
    v.pipe(v.string(), v.regex(/^[a-z]+(\.[a-z-]+)+$/, 'rules by their ids, as a report has them')),
    v.picklist(['notes', 'blocks']),
  ),
  v.check(
    (rules) => ALWAYS_BLOCK.every((rule) => rules[rule] !== 'notes'),
    `not noted only: ${ALWAYS_BLOCK.join(', ')}; what breaks them can't be used`,
  ),
);

/** Everything a delivery target states (D1). Stored and exchanged as JSON; version 1. */
const Fields = v.object({
  schema: v.literal(1),
  id,
  title: v.pipe(v.string(), v.minLength(1), v.maxLength(80)),
  note: v.optional(v.pipe(v.string(), v.maxLength(2000)), ''),
  /** Metres per unit and axes of what is delivered; glTF fixes both, so they are checked on the character. */
  heightCm: v.optional(v.object({ min: v.number(), max: v.number() }), { min: 120, max: 220 }),
  /** Height and build that every character is brought to. */
  body: v.optional(
    v.object({
      heightCm: v.optional(v.pipe(v.number(), v.minValue(50), v.maxValue(300))),
      /** −1 slight … 1 heavy. */
      build: v.optional(v.pipe(v.number(), v.minValue(-1), v.maxValue(1))),
    }),
  ),
  triangles: v.object({
    max: count(50_000_000),
    /** What all parts of a kind may have together. */
    parts: v.optional(v.record(v.picklist(PART_ROLES), count(50_000_000))),
  }),
  influences: v.object({ max: count(64) }),
  joints: v.object({
    /** `none`: a static figure, its mesh standing in the rest pose. */
    keep: v.picklist(['all', 'humanoid', 'body', 'none']),
    max: v.optional(count(65_535)),
    /** Figure whose joints the result gets: an id, or the figure itself; without one names and hierarchy follow `keep` and `names`. */
    figure: v.optional(v.union([id, FigureSchema])),
    /** `source` keeps names; `roles` uses role ids; an object gives a name by role. */
    names: v.optional(
      v.union([v.picklist(['source', 'roles']), v.record(v.string(), v.pipe(v.string(), v.minLength(1)))]),
      'roles',
    ),
    /** What the one joint over all others is called; made at the origin where there is none. */
    root: v.optional(v.pipe(v.string(), v.minLength(1), v.maxLength(80))),
    /** A joint at the tip of every joint without another below it. */
    leafEnds: v.optional(v.boolean()),
  }),
  materials: v.object({
    max: count(10_000),
    hair: v.picklist(['blend', 'mask']),
    blendAllowed: v.boolean(),
    /** What of a material beyond metallic–roughness the target understands; all of it where left out. The rest is folded in or taken out. */
    understands: v.optional(v.array(v.picklist(MATERIAL_FEATURES))),
    /** What eyes get where they have none of it: a line of water along the lids, a soft shade under them. */
    eyeLayers: v.optional(v.array(v.picklist(['tear', 'shade'])), []),
    /** What glTF has no place for, as named parameters in the manifest. */
    beyondGltf: v.optional(v.boolean(), false),
    /** A description of all materials as MaterialX, beside the model. */
    materialX: v.optional(v.boolean(), false),
  }),
  textures: v.object({
    maxSize: v.pipe(
      count(16_384),
      v.check((n) => (n & (n - 1)) === 0, 'a power of two'),
    ),
    sizes: v.optional(v.record(v.string(), count(16_384)), {}),
    formats: v.pipe(v.array(v.picklist(['image/png', 'image/jpeg', 'image/webp'])), v.minLength(1)),
    maxMemoryMB: v.optional(v.pipe(v.number(), v.minValue(1))),
    /** Texels on a centimetre of surface, at most. */
    texelsPerCm: v.optional(v.pipe(v.number(), v.minValue(0.1), v.maxValue(1000))),
    /** No map finer than is seen from `appearance.nearestM`. */
    asSeen: v.optional(v.boolean(), false),
    /** Maps packed for graphics processors (KTX 2.0, KHR_texture_basisu) instead of the formats; `smallest`: ETC1S where that keeps to `maxError`, else UASTC. */
    packed: v.optional(v.picklist(['uastc', 'etc1s', 'smallest'])),
    /** What writing with losses may change a map by, on the average: ΔE of colours, degrees of normals, percent of other data. */
    maxError: v.optional(v.pipe(v.number(), v.minValue(0.05), v.maxValue(20))),
    /** Where occlusion, roughness and metalness lie in the model's own maps. */
    packing: v.optional(v.picklist(CHANNEL_PACKINGS)),
    /** Maps that an engine takes apart from the model: one file for each material and layout. */
    beside: v.optional(BesideSchema),
  }),
  /** Pose the mesh stands in when nothing poses it; `figure`: the figure's own. */
  restPose: v.optional(v.picklist(['keep', 'arms-out', 'arms-down', 'figure'])),
  morphs: v.object({
    max: v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(10_000)),
    /** Morphs that stay whatever is dropped. */
    keep: v.optional(v.array(v.string()), []),
    /** Set of expressions that the target asks for, by id; one that ships or one of one's own. */
    expressions: v.optional(v.union([v.string(), ExpressionSetSchema])),
    /** How morphs are called and ordered in the end. */
    names: v.optional(
      v.object({
        pattern: v.optional(MORPH_PATTERN),
        words: v.optional(v.picklist(['keep', 'camel', 'snake'])),
        order: v.optional(v.picklist(['keep', 'name'])),
      }),
    ),
  }),
  /** The skin on the polygons of the figure that `joints` names. */
  fit: v.optional(
    v.object({
      body: v.boolean(),
      /** Sides of its maps at most, texels; as fine as they were where left out. */
      maps: v.optional(
        v.pipe(
          count(8192),
          v.check((n) => (n & (n - 1)) === 0, 'a power of two'),
        ),
      ),
      /** Whose eyes and teeth it has: the character's own, or the figure's with the looks of those. */
      eyes: v.optional(v.picklist(['source', 'figure']), 'source'),
      /** Whose morphs it has: the character's own, or the figure's beside them as well. */
      morphs: v.optional(v.picklist(['source', 'both'])),
    }),
  ),
  /** How the result is looked at beside the source. */
  appearance: v.optional(
    v.object({
      /** How near the viewer comes, metres: places smaller than a pixel from there are not looked at. */
      nearestM: v.optional(v.pipe(v.number(), v.minValue(0.1), v.maxValue(100)), 0.5),
      /** Heaviest place where another material shows than in the source: ΔE above 8, summed over its pixels. */
      other: v.optional(v.pipe(v.number(), v.minValue(0)), 4000),
      /** Heaviest place where the same material looks different. */
      changed: v.optional(v.pipe(v.number(), v.minValue(0)), 8000),
      /** Heaviest place that a usual engine draws differently from what the result means: layers that it can't sort. */
      drawn: v.optional(v.pipe(v.number(), v.minValue(0)), 3000),
      /** What a material may lose of the pixels it shows on, from any side where that is a number worth counting, percent. */
      cover: v.optional(v.pipe(v.number(), v.minValue(0), v.maxValue(100)), 50),
      /** Limits that are only noted. */
      noteOnly: v.optional(v.array(v.picklist(APPEARANCE_LIMITS)), []),
    }),
    {},
  ),
  package: PackageSchema,
  /** How far the result may be from the source; a limit that isn't met stops delivery unless it stands in `noteOnly`. */
  parity: v.object({
    restRmsMm: v.number(),
    poseRmsMm: v.number(),
    poseMaxMm: v.number(),
    /** RMS of any one part at rest against what it came from, millimetres; not asked where left out. */ partRmsMm:
      v.optional(v.number()),
    /** Skin that may show through clothes beyond what shows in the source, square centimetres, at rest and posed. */ skinCm2:
      v.optional(v.number()),
    noteOnly: v.optional(v.array(v.picklist(PARITY_LIMITS)), []),
  }),
  /** Further qualities of the same figure, each a package of its own in the same run. */
  grades: v.optional(GradesSchema),
  /** Where it comes from: the target it is a copy of, and what its fields were taken from, by their paths. */
  origin: v.optional(
    v.object({
      copyOf: v.optional(id),
      learned: v.optional(v.record(v.pipe(v.string(), v.maxLength(100)), v.pipe(v.string(), v.maxLength(1000)))),
    }),
  ),
  /** Rules that weigh otherwise than they do by themselves: what is only noted, and what stops delivery. */
  rules: v.optional(RulesSchema),
});

/** What one field says, held against another. */
export const TargetSchema = v.pipe(
  Fields,
  v.forward(
    v.check(
      ({ triangles, package: { levels = [] } }) => levels.every((level) => level.triangles < triangles.max),
      'levels with fewer triangles than the nearest, which is the limit of the whole',
    ),
    ['package', 'levels'],
  ),
);
export type Target = v.InferOutput<typeof TargetSchema>;
export type TargetInput = v.InferInput<typeof TargetSchema>;

/** Whether a target's package stores arrays otherwise than as they are. */
export const isCompressed = ({ package: { compression = 'none' } }: Target): boolean => compression !== 'none';

/** Whether a target wants a mesh without a skeleton. */
export const isStatic = (target: Target): boolean => target.joints.keep === 'none';

/** @throws ProblemError target.invalid, naming the field */
export const parseTarget = (value: unknown, where = 'target'): Target =>
  parseOrTell(TargetSchema, value, { code: 'target.invalid', what: 'The delivery target', where });

/** The target with its figure in it, where it names one: what a run is given. @throws ProblemError target.no-figure */
export function withFigure(target: Target, figures: readonly Figure[]): Target {
  const { figure } = target.joints;
  if (typeof figure !== 'string') return target;
  const found = figures.find((entry) => entry.id === figure);
  if (!found)
    throw new ProblemError(
      'target.no-figure',
      `The delivery target “${target.title}” names the figure “${figure}”, which is not here. Learn or import it, or choose another for the target.`,
      figure,
    );
  return { ...target, joints: { ...target.joints, figure: found } };
}
