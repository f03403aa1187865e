import * as v from 'valibot';
import { MATERIAL_KINDS, type MaterialKind } from '../character/index.ts';
import { parseOrTell } from '../problem.ts';

const share = v.pipe(v.number(), v.minValue(0), v.maxValue(1));
const times = v.pipe(v.number(), v.minValue(0), v.maxValue(10));
const color = v.tuple([share, share, share]);
/** A value taken times something, then held within bounds; what isn't said stays. */
const Held = v.object({ times: v.optional(times), least: v.optional(share), most: v.optional(share) });

/** What a treatment changes, channel by channel; what isn't there stays as it is. Colours are sRGB, 0 … 1. */
export const TreatmentChannelsSchema = v.object({
  roughness: v.optional(Held),
  metalness: v.optional(Held),
  /** Depth of the normal map. */
  normal: v.optional(v.object({ times })),
  color: v.optional(
    v.object({
      /** Mean colour that the map gets, its lights and darks kept, as far as `strength` goes. */
      tint: v.optional(color),
      strength: v.optional(share, 1),
      brightness: v.optional(times),
      saturation: v.optional(times),
      /** Takes out a highlight that is painted across the strands: the surface has one of its own. */
      noHighlight: v.optional(v.boolean()),
    }),
  ),
  /** Strength of reflection of what is no metal. */
  specular: v.optional(v.object({ strength: share, color: v.optional(color) })),
  ior: v.optional(v.pipe(v.number(), v.minValue(1), v.maxValue(4))),
  clearcoat: v.optional(v.object({ strength: share, roughness: v.optional(share, 0) })),
  sheen: v.optional(v.object({ color, roughness: v.optional(share, 0.5) })),
  /** Beyond glTF: a second highlight beside the first, moved along the strands by so many degrees. */
  secondHighlight: v.optional(
    v.object({
      strength: share,
      color: v.optional(color, [1, 1, 1]),
      degrees: v.optional(v.pipe(v.number(), v.minValue(-45), v.maxValue(45)), 8),
    }),
  ),
  /** Beyond glTF: light that comes through strands from behind. */
  lightThrough: v.optional(v.object({ strength: share, color: v.optional(color, [1, 0.9, 0.75]) })),
  /** Dimmed by what is around it, with the mouth open: as occlusion, and how far in its colours too. */
  shade: v.optional(v.object({ strength: share, color: v.optional(share, 0) })),
  /** Highlights across a direction: strength, and its turn from the texture's u, degrees. */
  anisotropy: v.optional(
    v.object({
      strength: share,
      degrees: v.optional(v.pipe(v.number(), v.minValue(-360), v.maxValue(360)), 0),
      /** The turn is found from the map: strands scatter light across themselves. */
      acrossStrands: v.optional(v.boolean(), false),
    }),
  ),
});
export type TreatmentChannels = v.InferOutput<typeof TreatmentChannelsSchema>;
export const TREATMENT_CHANNELS = Object.keys(TreatmentChannelsSchema.entries) as (keyof TreatmentChannels)[];

/** How materials of some kinds are made to look right. Stored and exchanged as JSON; version 1. */
export const TreatmentSchema = v.object({
  schema: v.literal(1),
  id: v.pipe(v.string(), v.regex(/^[a-z0-9][a-z0-9-]{0,63}$/, 'lower-case letters, digits and hyphens')),
  title: v.pipe(v.string(), v.trim(), v.minLength(1), v.maxLength(80)),
  /** Kinds that it is for, where nothing else is said. */
  kinds: v.optional(v.array(v.picklist(MATERIAL_KINDS)), []),
  channels: TreatmentChannelsSchema,
});
export type Treatment = v.InferOutput<typeof TreatmentSchema>;

/** @throws ProblemError treatment.invalid, naming the field */
export const parseTreatment = (value: unknown): Treatment =>
  parseOrTell(TreatmentSchema, value, { code: 'treatment.invalid', what: 'The treatment' });

const shipped = (
  id: string,
  title: string,
  kinds: MaterialKind[],
  channels: v.InferInput<typeof TreatmentChannelsSchema>,
) => v.parse(TreatmentSchema, { schema: 1, id, title, kinds, channels });

/** What kinds of materials are treated with where nobody says otherwise: each only holds back what can't be right. */
export const SHIPPED_TREATMENTS: readonly Treatment[] = [
  shipped('skin', 'Skin, off the plastic', ['skin', 'lips'], { roughness: { least: 0.3 }, metalness: { most: 0 } }),
  shipped('strands-on-skin', 'Lashes and brows, matt', ['lash', 'brow'], {
    roughness: { least: 0.75 },
    metalness: { most: 0 },
    specular: { strength: 0.3 },
  }),
  shipped('hair', 'Hair', ['hair', 'beard'], {
    roughness: { least: 0.3 },
    metalness: { most: 0 },
    color: { noHighlight: true },
  }),
  shipped('scalp', 'Scalp, matt', ['scalp'], { roughness: { least: 0.6 }, metalness: { most: 0 } }),
  shipped('eye', 'Eyeballs, moist', ['eye'], { roughness: { most: 0.35 }, metalness: { most: 0 } }),
  shipped('clear', 'Cornea and tear line, clear', ['cornea', 'tear'], {
    roughness: { most: 0.1 },
    metalness: { most: 0 },
  }),
  shipped('mouth', 'Teeth, gums, tongue, moist', ['teeth', 'gums', 'tongue'], {
    roughness: { least: 0.15, most: 0.6 },
    metalness: { most: 0 },
    shade: { strength: 1, color: 0.4 },
  }),
  shipped('nail', 'Nails', ['nail'], { roughness: { least: 0.2, most: 0.6 }, metalness: { most: 0 } }),
  shipped('cloth', 'Cloth, matt', ['cloth', 'knit'], { roughness: { least: 0.5 } }),
];
export const treatmentFor = (kind: MaterialKind, all: readonly Treatment[] = SHIPPED_TREATMENTS): Treatment | null =>
  all.find((treatment) => treatment.kinds.includes(kind)) ?? null;
