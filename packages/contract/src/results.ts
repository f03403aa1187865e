import type {
  CharacterSummary,
  Check,
  Finding,
  Measure,
  Parity,
  Recipe,
  Target,
  Figure,
  Verdict,
  Worst,
} from '@dimetra/core';
import * as v from 'valibot';

/** A schema for what the core makes: it says the shape where it is checked, and has the core's own type. */
const of = <T>(schema: v.GenericSchema): v.GenericSchema<T, T> => schema as v.GenericSchema<T, T>;
export const Id = v.pipe(v.string(), v.uuid());
export const Instant = v.pipe(v.string(), v.isoTimestamp());
export const Count = v.pipe(v.number(), v.integer(), v.minValue(0));
const numberOrText = v.union([v.number(), v.string()]);

export const FindingSchema = of<Finding>(
  v.object({
    code: v.string(),
    severity: v.picklist(['info', 'warning', 'error']),
    message: v.string(),
    where: v.optional(v.string()),
    measured: v.optional(v.nullable(numberOrText)),
    limit: v.optional(v.nullable(numberOrText)),
    names: v.optional(v.record(v.string(), v.string())),
    repair: v.optional(v.string()),
  }),
);
export const MeasureSchema = of<Measure>(
  v.object({
    // Runs that were kept before measures had codes have names alone.
    code: v.optional(v.string()),
    of: v.optional(v.string()),
    name: v.string(),
    unit: v.string(),
    source: v.nullable(v.number()),
    result: v.nullable(v.number()),
  }),
);
export const CheckSchema = of<Check>(
  v.object({
    rule: v.string(),
    title: v.string(),
    ok: v.boolean(),
    blocking: v.boolean(),
    measured: v.nullable(numberOrText),
    limit: v.nullable(numberOrText),
    unit: v.string(),
    message: v.string(),
    station: v.string(),
  }),
);
export const VerdictSchema = of<Verdict>(
  v.looseObject({ state: v.string(), rules: Count, holding: Count, noted: Count, blocking: Count }),
);
export const WorstSchema = of<Worst>(
  v.looseObject({
    rule: v.string(),
    title: v.string(),
    measured: numberOrText,
    limit: numberOrText,
    unit: v.string(),
    share: v.nullable(v.number()),
  }),
);
const named = v.looseObject({ name: v.string() });
export const SummarySchema = of<CharacterSummary>(
  v.looseObject({
    name: v.string(),
    heightCm: v.number(),
    triangles: Count,
    vertices: Count,
    parts: v.array(named),
    joints: v.array(named),
    influencesMax: Count,
    materials: v.array(named),
    textures: v.array(named),
    textureMemoryBytes: Count,
    morphTargets: v.array(v.string()),
    morphs: v.optional(v.array(named)),
    clips: v.array(named),
  }),
);
const row = v.looseObject({ rmsMm: v.number(), p99Mm: v.number(), maxMm: v.number() });
export const ParitySchema = of<Parity>(
  v.looseObject({
    schema: v.literal(1),
    samples: Count,
    shape: v.looseObject({ rest: row, parts: v.array(row), morphs: v.array(row), poses: v.array(row) }),
  }),
);
/** Recipes, targets and figures were checked by their own schemas when they came in. */
export const KeptRecipe = of<Recipe>(
  v.looseObject({ schema: v.literal(1), steps: v.array(v.looseObject({ id: v.string() })) }),
);
export const KeptTarget = of<Target>(v.looseObject({ id: v.string(), title: v.string() }));
export const KeptFigure = of<Figure>(v.looseObject({ id: v.string(), title: v.string() }));
export const ManifestSchema = v.looseObject({ asset: v.looseObject({ version: v.string() }) });
