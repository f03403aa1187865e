export * from './codec.ts';
export * from './operations.ts';
export * from './plan.ts';
export * from './fit-step.ts';
export * from './find-step.ts';
export * from './naming.ts';
export * from './search.ts';
