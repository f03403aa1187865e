import { NAMED_CHANNELS } from '@dimetra/core';
import * as v from 'valibot';
import { Count, FindingSchema, Id, Instant, SummarySchema, VerdictSchema, WorstSchema } from './results.ts';
import { RUN_STATES } from './run-states.ts';

export const ProductionSchema = v.object({ id: Id, name: v.string(), createdAt: Instant });

export const CharacterRowSchema = v.object({
  id: Id,
  name: v.string(),
  picture: v.nullable(v.string()),
  createdAt: Instant,
  revisionId: Id,
  revision: Count,
  triangles: Count,
  heightCm: v.number(),
  joints: Count,
  morphs: Count,
  materials: Count,
  findings: Count,
  conversions: v.array(
    v.object({
      id: Id,
      targetId: v.string(),
      state: v.nullable(v.picklist(RUN_STATES)),
      verdict: v.nullable(VerdictSchema),
      /** The newest run: how far it is, why it failed, and the rule that it stands worst by. */
      runId: v.nullable(Id),
      progress: v.nullable(v.number()),
      problem: v.nullable(v.string()),
      worst: v.nullable(WorstSchema),
    }),
  ),
});
export type CharacterRow = v.InferOutput<typeof CharacterRowSchema>;

const KindChangesSchema = v.object({
  gone: v.array(v.string()),
  came: v.array(v.string()),
  renamed: v.array(v.object({ from: v.string(), to: v.string(), why: v.string() })),
  changed: v.array(v.object({ name: v.string(), what: v.string() })),
});
const SourceChangesSchema = v.object({
  part: KindChangesSchema,
  material: KindChangesSchema,
  joint: KindChangesSchema,
  morph: KindChangesSchema,
  map: KindChangesSchema,
  clip: KindChangesSchema,
});

export const CharacterDetailSchema = v.object({
  id: Id,
  productionId: Id,
  name: v.string(),
  picture: v.nullable(v.string()),
  createdAt: Instant,
  revision: v.object({
    id: Id,
    number: Count,
    files: v.array(v.looseObject({ path: v.string(), bytes: Count, used: v.boolean() })),
    summary: SummarySchema,
    findings: v.array(FindingSchema),
    createdAt: Instant,
    /** The one before, and what this one has otherwise; null for the first. */
    before: v.nullable(v.object({ id: Id, number: Count, createdAt: Instant, changes: SourceChangesSchema })),
  }),
});
export type CharacterDetail = v.InferOutput<typeof CharacterDetailSchema>;

const Arrived = v.looseObject({ id: Id, name: v.string(), revisionId: Id });
/** The first of what arrived, the others, and models that could not be read. */
export const ArrivalSchema = v.looseObject({
  ...Arrived.entries,
  others: v.array(Arrived),
  failed: v.array(v.looseObject({})),
});
export const RenameSchema = v.object({ name: v.pipe(v.string(), v.trim(), v.minLength(1), v.maxLength(120)) });
export const RenamedSchema = v.looseObject({ id: Id, name: v.string() });

/** Where one image goes; by its own name where not given. */
export const SlotQuerySchema = v.object({
  material: v.optional(v.string()),
  channel: v.optional(v.picklist(NAMED_CHANNELS)),
});
export const ImagesPlacedSchema = v.looseObject({ revisionId: Id, number: Count, before: v.optional(Id) });
export const GoBackSchema = v.object({ copyOf: Id });
export const RevisionMadeSchema = v.object({ revisionId: Id, number: Count });
/** A new version of a source: what it has otherwise, and what recipes say of other names now. */
export const SourceTakenSchema = v.object({
  ...RevisionMadeSchema.entries,
  before: Id,
  changes: SourceChangesSchema,
  carried: v.array(
    v.object({
      targetId: v.string(),
      carried: v.array(v.object({ step: v.string(), kind: v.string(), from: v.string(), to: v.string() })),
    }),
  ),
});
export type SourceTaken = v.InferOutput<typeof SourceTakenSchema>;

export const PiecesSchema = v.object({
  hashes: v.pipe(v.array(v.pipe(v.string(), v.regex(/^[0-9a-f]{64}$/))), v.maxLength(20_000)),
});
/** Longest side of a preview, pixels. */
export const PreviewQuerySchema = v.object({
  max: v.optional(v.pipe(v.string(), v.transform(Number), v.number(), v.minValue(1))),
});
