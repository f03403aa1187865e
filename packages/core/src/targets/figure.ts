import * as v from 'valibot';
import { parseOrTell } from '../problem.ts';

const triple = v.tuple([v.number(), v.number(), v.number()]);
const name = v.pipe(v.string(), v.minLength(1), v.maxLength(200));

const sha256 = v.pipe(v.string(), v.regex(/^[0-9a-f]{64}$/, 'a SHA-256 in lower-case hex'));
const amount = v.pipe(v.number(), v.integer(), v.minValue(0));

/** Steps in which a figure says where on a map something lies. */
export const SEAM_STEPS = 4096;

/** A closed curve of a figure's skin that others have too: between the lips, about an eye, a nostril, a nail. */
const LoopSchema = v.object({
  /** Loops of one name belong on each other. */
  name: v.pipe(v.string(), v.minLength(1), v.maxLength(60)),
  /** x, y, z of each place on it in turn, as the skin lies in its file at rest, metres. */
  at: v.pipe(
    v.array(v.pipe(v.number(), v.minValue(-20), v.maxValue(20))),
    v.minLength(9),
    v.maxLength(3 * 2000),
    v.check((all) => all.length % 3 === 0, 'three numbers a place'),
  ),
  /** Which way the skin faces at each place, x, y, z: lips that touch are told apart by it. */
  facing: v.optional(v.pipe(v.array(v.pipe(v.number(), v.minValue(-1), v.maxValue(1))), v.maxLength(3 * 2000))),
  /** Whether a wrap lays it on the loop of that name. */
  holds: v.boolean(),
});
export type FigureLoop = v.InferOutput<typeof LoopSchema>;

/** A figure's own skin: polygons, texture places, weights and rest pose, as a model that is kept beside the figure. */
const BodySchema = v.object({
  /** SHA-256 of the model, binary glTF. */
  file: sha256,
  bytes: amount,
  parts: v.pipe(
    v.array(
      v.object({
        name: v.string(),
        material: v.string(),
        vertices: amount,
        triangles: amount,
        /** What its texture places are told from others by. */
        layout: v.pipe(v.string(), v.maxLength(64)),
        /** Where it is cut open to be laid flat: u, v of both sides, four numbers a pair, in {@link SEAM_STEPS} of a map. */
        seams: v.optional(
          v.pipe(
            v.array(v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(SEAM_STEPS))),
            v.maxLength(4 * 512),
            v.check((all) => all.length % 4 === 0, 'four numbers a pair'),
          ),
        ),
      }),
    ),
    v.minLength(1),
    v.maxLength(500),
  ),
  /** Found by shape where a figure says none. */
  loops: v.optional(
    v.pipe(
      v.array(LoopSchema),
      v.maxLength(200),
      v.check((all) => new Set(all.map((loop) => loop.name)).size === all.length, 'loops of different names'),
    ),
  ),
});
export type FigureBody = v.InferOutput<typeof BodySchema>;

/**
 * What a figure format is: its joints with role, parent, place and orientation in its own rest pose, and what its
 * parts, materials, texture places and morphs are called. Metres, +Y up, facing +Z. Stored and exchanged as JSON.
 */
export const FigureSchema = v.pipe(
  v.object({
    schema: v.literal(1),
    id: v.pipe(v.string(), v.regex(/^[a-z0-9][a-z0-9-]{0,63}$/, 'lower-case letters, digits and hyphens')),
    title: v.pipe(v.string(), v.minLength(1), v.maxLength(80)),
    note: v.optional(v.pipe(v.string(), v.maxLength(2000)), ''),
    /** Height of the body that the places were taken from. */
    heightM: v.pipe(v.number(), v.minValue(0.1), v.maxValue(10)),
    /** Parents before children. */
    joints: v.pipe(
      v.array(
        v.object({
          name,
          role: v.string(),
          parent: v.nullable(v.string()),
          at: triple,
          /** Global rotation at rest, xyzw. */
          turn: v.optional(v.tuple([v.number(), v.number(), v.number(), v.number()]), [0, 0, 0, 1]),
        }),
      ),
      v.minLength(1),
      v.maxLength(2000),
    ),
    parts: v.optional(v.array(v.object({ name: v.string(), role: v.string() })), []),
    materials: v.optional(v.array(v.object({ name: v.string(), kind: v.string() })), []),
    /** Texture tile (column) of each part, where it has texture coordinates. */
    tiles: v.optional(v.record(v.string(), v.number()), {}),
    morphs: v.optional(v.array(v.string()), []),
    body: v.optional(BodySchema),
  }),
  v.check(
    (figure) => new Set(figure.joints.map((joint) => joint.name)).size === figure.joints.length,
    'joint names that differ',
  ),
  v.check((figure) => {
    const seen = new Set<string | null>([null]);
    return figure.joints.every((joint) => {
      const known = seen.has(joint.parent);
      seen.add(joint.name);
      return known;
    });
  }, 'every parent listed before its children'),
);
export type Figure = v.InferOutput<typeof FigureSchema>;
export type FigureInput = v.InferInput<typeof FigureSchema>;
export type FigureJoint = Figure['joints'][number];

/** @throws ProblemError figure.invalid, naming the field */
export const parseFigure = (value: unknown, where = 'figure'): Figure =>
  parseOrTell(FigureSchema, value, { code: 'figure.invalid', what: 'The figure', where });
