import * as v from 'valibot';

/** Levels behind the nearest, at most. */
export const MOST_LEVELS = 6;

/** Formats with a way to hold several levels of one thing: MSFT_lod of glTF, variants of USD. */
export const HOLDS_LEVELS: readonly string[] = ['glb', 'gltf', 'usda', 'usdz'];

/** A figure for further away. */
export const LevelSchema = v.object({
  triangles: v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(50_000_000)),
  /** Shown from here on, metres from whoever looks. */
  fromM: v.pipe(v.number(), v.minValue(0.1), v.maxValue(10_000)),
  /** Whether faces still move: without, the level has no morphs. */
  morphs: v.optional(v.boolean(), true),
});
export type Level = v.InferOutput<typeof LevelSchema>;

/** Levels behind the nearest, which the target's own limits describe: each with fewer triangles, from further away. */
export const LevelsSchema = v.pipe(
  v.array(LevelSchema),
  v.maxLength(MOST_LEVELS),
  v.check(
    (all) => all.every(({ triangles }, i) => i === 0 || triangles < all[i - 1].triangles),
    'levels with fewer triangles each than the one before',
  ),
  v.check(
    (all) => all.every(({ fromM }, i) => i === 0 || fromM > all[i - 1].fromM),
    'levels that begin further away each than the one before',
  ),
);

/** Rows that a picture of a figure is thought to have, and how much of the world they show: 1080 rows, 50° from top to bottom. */
const ROWS = 1080,
  HALF_ANGLE = (25 * Math.PI) / 180;

/** What such a picture shows from top to bottom at a distance, metres. */
export const heightSeen = (metres: number): number => 2 * metres * Math.tan(HALF_ANGLE);
/** What a row of it is wide there, millimetres. */
export const pixelMm = (metres: number): number => (1000 * heightSeen(metres)) / ROWS;
