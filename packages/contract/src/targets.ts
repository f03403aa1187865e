import { type Target, TargetSchema } from '@dimetra/core';
import * as v from 'valibot';
import { KeptTarget } from './results.ts';

export type TargetRow = Target & { shipped: boolean };
export const TargetRowSchema = v.intersect([KeptTarget, v.looseObject({ shipped: v.boolean() })]);
export { TargetSchema };
