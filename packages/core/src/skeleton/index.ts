export * from './names.ts';
export * from './plan.ts';
export * from './poses.ts';
export * from './remap.ts';
export * from './roles.ts';
export * from './shape-roles.ts';
export * from './remap-step.ts';
