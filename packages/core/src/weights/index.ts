export * from './bending.ts';
export * from './limit.ts';
export * from './refit.ts';
export * from './write.ts';
export * from './limit-step.ts';
