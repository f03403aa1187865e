import type { Follows, RunState, StepSummary } from '@dimetra/contract';
import type {
  Check,
  CharacterSummary,
  Figure,
  Finding,
  Parity,
  Recipe,
  SharedRecipe,
  Station,
  Target,
  Treatment,
} from '@dimetra/core';
import { sql } from 'drizzle-orm';
import {
  bigint,
  boolean,
  customType,
  index,
  integer,
  jsonb,
  pgTable,
  primaryKey,
  real,
  text,
  timestamp,
  uuid,
  unique,
  uniqueIndex,
} from 'drizzle-orm/pg-core';

const bytea = customType<{ data: Buffer }>({ dataType: () => 'bytea' });
const created = () => timestamp('created_at', { withTimezone: true }).notNull().defaultNow();

export const production = pgTable('production', {
  id: uuid('id').primaryKey().defaultRandom(),
  name: text('name').notNull(),
  createdAt: created(),
});

export const character = pgTable(
  'character',
  {
    id: uuid('id').primaryKey().defaultRandom(),
    productionId: uuid('production_id')
      .notNull()
      .references(() => production.id),
    name: text('name').notNull(),
    /** Blob of the picture taken by the stage. */
    picture: text('picture'),
    createdAt: created(),
  },
  (table) => [unique('character_name').on(table.productionId, table.name)],
);

/** One arrival of a character; a new upload of it is a new revision. */
export const revision = pgTable(
  'revision',
  {
    id: uuid('id').primaryKey().defaultRandom(),
    characterId: uuid('character_id')
      .notNull()
      .references(() => character.id, { onDelete: 'cascade' }),
    number: integer('number').notNull(),
    /** Files as they arrived: path, bytes, blob. */
    files: jsonb('files').$type<{ path: string; bytes: number; sha256: string; used: boolean }[]>().notNull(),
    manifest: jsonb('manifest').$type<Record<string, unknown>>().notNull(),
    summary: jsonb('summary').$type<CharacterSummary>().notNull(),
    findings: jsonb('findings').$type<Finding[]>().notNull(),
    createdAt: created(),
  },
  (table) => [unique('revision_number').on(table.characterId, table.number)],
);

export const target = pgTable('target', {
  id: text('id').primaryKey(),
  data: jsonb('data').$type<Target>().notNull(),
  shipped: boolean('shipped').notNull().default(false),
  createdAt: created(),
});

/** Figures learned or imported here; those that ship are part of the program. */
export const figure = pgTable('figure', {
  id: text('id').primaryKey(),
  data: jsonb('data').$type<Figure>().notNull(),
  createdAt: created(),
});

/** A treatment of materials that is kept for all characters. */
export const treatment = pgTable('treatment', {
  id: text('id').primaryKey(),
  data: jsonb('data').$type<Treatment>().notNull(),
  createdAt: created(),
});

/** Recipes that characters share, every version as it was kept. */
export const sharedRecipe = pgTable(
  'shared_recipe',
  {
    id: text('id').notNull(),
    version: integer('version').notNull(),
    data: jsonb('data').$type<SharedRecipe>().notNull(),
    createdAt: created(),
  },
  (table) => [primaryKey({ columns: [table.id, table.version] })],
);

/** A character for a target, with the recipe that is being worked on. */
export const conversion = pgTable(
  'conversion',
  {
    id: uuid('id').primaryKey().defaultRandom(),
    characterId: uuid('character_id')
      .notNull()
      .references(() => character.id, { onDelete: 'cascade' }),
    targetId: text('target_id')
      .notNull()
      .references(() => target.id, { onDelete: 'cascade' }),
    recipe: jsonb('recipe').$type<Recipe>().notNull(),
    /** Version of a shared recipe that it follows; what it says otherwise is the character's own. */
    follows: jsonb('follows').$type<Follows>(),
    /** Raised by every change; a save names the version it started from. */
    version: integer('version').notNull().default(1),
    updatedAt: timestamp('updated_at', { withTimezone: true }).notNull().defaultNow(),
  },
  (table) => [unique('conversion_pair').on(table.characterId, table.targetId)],
);

/** The program that the server of this database runs: workers of another one are refused. One row. */
export const program = pgTable('program', {
  id: integer('id').primaryKey().default(1),
  stamp: text('stamp').notNull(),
  since: timestamp('since', { withTimezone: true }).notNull().defaultNow(),
});

/** A process that takes runs from the queue, on this machine or another. */
export const worker = pgTable('worker', {
  id: uuid('id').primaryKey().defaultRandom(),
  /** What it is called: its machine, or what it was given. */
  name: text('name').notNull(),
  pid: integer('pid').notNull(),
  /** Runs at once, and memory that each may take. */
  threads: integer('threads').notNull(),
  memoryMb: integer('memory_mb').notNull(),
  startedAt: timestamp('started_at', { withTimezone: true }).notNull().defaultNow(),
  heardAt: timestamp('heard_at', { withTimezone: true }).notNull().defaultNow(),
  /** It ended by itself. */
  leftAt: timestamp('left_at', { withTimezone: true }),
});

export const run = pgTable(
  'run',
  {
    id: uuid('id').primaryKey().defaultRandom(),
    conversionId: uuid('conversion_id')
      .notNull()
      .references(() => conversion.id, { onDelete: 'cascade' }),
    revisionId: uuid('revision_id')
      .notNull()
      .references(() => revision.id, { onDelete: 'cascade' }),
    /** As they were when the run was asked for. */
    recipe: jsonb('recipe').$type<Recipe>().notNull(),
    target: jsonb('target').$type<Target>().notNull(),
    /** The shared recipe that was followed, and who asked. */
    follows: jsonb('follows').$type<Follows>(),
    by: text('by'),
    state: text('state').$type<RunState>().notNull().default('queued'),
    progress: real('progress').notNull().default(0),
    message: text('message').notNull().default(''),
    /** Where the character is on the line while it is at work. */
    station: text('station').$type<Station>(),
    error: jsonb('error').$type<{ code: string; message: string; where?: string }>(),
    steps: jsonb('steps').$type<StepSummary[]>().notNull().default([]),
    manifest: jsonb('manifest').$type<Record<string, unknown>>(),
    result: jsonb('result').$type<CharacterSummary>(),
    checks: jsonb('checks').$type<Check[]>(),
    parity: jsonb('parity').$type<Parity>(),
    attempts: integer('attempts').notNull().default(0),
    /** Who carries it out, or did. */
    workerId: uuid('worker_id').references(() => worker.id, { onDelete: 'set null' }),
    heartbeatAt: timestamp('heartbeat_at', { withTimezone: true }),
    startedAt: timestamp('started_at', { withTimezone: true }),
    finishedAt: timestamp('finished_at', { withTimezone: true }),
    createdAt: created(),
  },
  (table) => [
    index('run_conversion').on(table.conversionId, table.createdAt),
    // Two clicks at once ask for one run.
    uniqueIndex('run_active').on(table.conversionId).where(sql`${table.state} in ('queued', 'running')`),
  ],
);

export const stepResult = pgTable('step_result', {
  key: text('key').primaryKey(),
  data: jsonb('data').$type<Omit<StepSummary, 'cached' | 'seconds'> & { key: string }>().notNull(),
  manifest: jsonb('manifest').$type<Record<string, unknown>>().notNull(),
  createdAt: created(),
});

/** Which characters have use for a kept step result or conclusion, and when they last had. What nobody has is swept. */
export const keptUse = pgTable(
  'kept_use',
  {
    key: text('key').notNull(),
    characterId: uuid('character_id')
      .notNull()
      .references(() => character.id, { onDelete: 'cascade' }),
    usedAt: timestamp('used_at', { withTimezone: true }).notNull().defaultNow(),
  },
  (table) => [
    primaryKey({ columns: [table.key, table.characterId] }),
    index('kept_use_character').on(table.characterId),
    index('kept_use_used').on(table.usedAt),
  ],
);

/** What followed the last step of a run (parity, rules, package), by the key of what it follows from. */
export const conclusion = pgTable('conclusion', {
  key: text('key').primaryKey(),
  data: jsonb('data').$type<Record<string, unknown>>().notNull(),
  createdAt: created(),
});

export const delivery = pgTable(
  'delivery',
  {
    id: uuid('id').primaryKey().defaultRandom(),
    runId: uuid('run_id')
      .notNull()
      .references(() => run.id, { onDelete: 'cascade' }),
    fileName: text('file_name').notNull(),
    sha256: text('sha256').notNull(),
    bytes: bigint('bytes', { mode: 'number' }).notNull(),
    files: jsonb('files').$type<{ path: string; bytes: number; sha256: string }[]>().notNull(),
    report: text('report').notNull(),
    createdAt: created(),
  },
  (table) => [unique('delivery_run').on(table.runId)],
);

/** Every file there is, by its hash. */
export const blob = pgTable('blob', {
  sha256: text('sha256').primaryKey(),
  size: bigint('size', { mode: 'number' }).notNull(),
  mediaType: text('media_type').notNull(),
  createdAt: created(),
});
/** `blob` is the hash, or the id of an upload that is still arriving. */
export const blobChunk = pgTable(
  'blob_chunk',
  { blob: text('blob').notNull(), n: integer('n').notNull(), bytes: bytea('bytes').notNull() },
  (table) => [primaryKey({ columns: [table.blob, table.n] })],
);
/** Who still needs a blob: `revision:…`, `picture:…`, `run:…`, `step:…`, `conclusion:…`, and while something arrives `upload:…`. What nobody names is swept. */
export const blobRef = pgTable(
  'blob_ref',
  { owner: text('owner').notNull(), sha256: text('sha256').notNull(), createdAt: created() },
  (table) => [primaryKey({ columns: [table.owner, table.sha256] }), index('blob_ref_sha').on(table.sha256)],
);
