export * from './beside.ts';
export * from './plan.ts';
export type { MapKnowledge, SizeReason, TexturePlan, TextureRule } from './texture-plan.ts';
export * from './fit-step.ts';
export * from './find-step.ts';
export * from './replace.ts';
