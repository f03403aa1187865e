import { type Figure, FigureSchema, isJointRole } from '@dimetra/core';
import * as v from 'valibot';
import { Id, KeptFigure } from './results.ts';

export type FigureRow = Figure & { shipped: boolean };
export const FigureRowSchema = v.intersect([KeptFigure, v.looseObject({ shipped: v.boolean() })]);
export const LearnFigureSchema = v.object({
  characterId: Id,
  title: v.pipe(v.string(), v.trim(), v.minLength(1), v.maxLength(80)),
});
/** Corrections by hand: joint name → role. */
export const RememberFigureSchema = v.object({
  characterId: Id,
  roles: v.pipe(
    v.record(v.pipe(v.string(), v.maxLength(200)), v.pipe(v.string(), v.check(isJointRole, 'a role'))),
    v.check((roles) => Object.keys(roles).length > 0, 'at least one joint'),
  ),
});
export { FigureSchema };
