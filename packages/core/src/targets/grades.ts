import * as v from 'valibot';

/** Grades beside the target's own, at most. */
export const MOST_GRADES = 5;

const count = (most: number) => v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(most));

/** A further quality of the same figure, for another place: what it has otherwise than the target itself. */
export const GradeSchema = v.object({
  /** Also the folder of its package within the package. */
  id: v.pipe(v.string(), v.regex(/^[a-z0-9][a-z0-9-]{0,31}$/, 'lower-case letters, digits and hyphens')),
  title: v.pipe(v.string(), v.trim(), v.minLength(1), v.maxLength(80)),
  triangles: count(50_000_000),
  /** Side of a map at most, texels. */
  maxSize: v.optional(
    v.pipe(
      count(16_384),
      v.check((n) => (n & (n - 1)) === 0, 'a power of two'),
    ),
  ),
  maxMemoryMB: v.optional(v.pipe(v.number(), v.minValue(1))),
  influences: v.optional(count(64)),
  hair: v.optional(v.picklist(['blend', 'mask'])),
  /** How near the viewer comes, metres. */
  nearestM: v.optional(v.pipe(v.number(), v.minValue(0.1), v.maxValue(100))),
  /** How far it may be from the source, millimetres: as many times as the target allows. */
  apart: v.optional(v.pipe(v.number(), v.minValue(1), v.maxValue(100))),
});
export type Grade = v.InferOutput<typeof GradeSchema>;

export const GradesSchema = v.pipe(
  v.array(GradeSchema),
  v.maxLength(MOST_GRADES),
  v.check((all) => new Set(all.map(({ id }) => id)).size === all.length, 'grades with ids that differ'),
  v.check(
    (all) => all.every(({ id }) => !['textures', 'maps', 'report', 'manifest'].includes(id)),
    'grades whose ids are no names of files or folders in a package',
  ),
);
