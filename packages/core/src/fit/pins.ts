import * as v from 'valibot';
import { PlaceSchema } from './place-on.ts';

/** How far around a place the surface goes along or keeps its shape, millimetres. */
const around = v.pipe(v.number(), v.minValue(2), v.maxValue(300));
const places = v.pipe(v.array(PlaceSchema), v.minLength(1), v.maxLength(40));
export const PinsSettings = v.object({
  /** One place each: a point of the new skin comes to lie on a point of the old. Several: a curve on a curve, end on end. */
  pins: v.optional(
    v.pipe(
      v.array(
        v.pipe(
          v.object({ of: places, to: places, around: v.optional(around) }),
          v.check(
            ({ of, to }) => (of.length === 1) === (to.length === 1),
            'one place each, or a curve of two and more each',
          ),
        ),
      ),
      v.maxLength(200),
    ),
    [],
  ),
  /** Regions that keep the other figure's own shape. */
  leave: v.optional(v.pipe(v.array(v.object({ at: PlaceSchema, around })), v.maxLength(100)), []),
});
export type Pin = v.InferOutput<typeof PinsSettings>['pins'][number];
export type LeftRegion = v.InferOutput<typeof PinsSettings>['leave'][number];
