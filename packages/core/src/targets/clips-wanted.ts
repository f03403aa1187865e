import * as v from 'valibot';

const Name = v.pipe(v.string(), v.trim(), v.minLength(1), v.maxLength(200));

/** Which clips go out, and which are made for those who set the figure up. */
export const ClipsWantedSchema = v.object({
  /** All of the figure's, none, or those of these names, capitals aside. */
  keep: v.optional(
    v.union([v.picklist(['all', 'none']), v.pipe(v.array(Name), v.minLength(1), v.maxLength(500))]),
    'all',
  ),
  /** The rest pose as a clip of one key. */
  rest: v.optional(v.boolean(), false),
  /** Every pose of the range of motion, one after the other, there and back. */
  rangeOfMotion: v.optional(v.boolean(), false),
});
export type ClipsWanted = v.InferOutput<typeof ClipsWantedSchema>;
