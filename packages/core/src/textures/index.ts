export * from './codec.ts';
export * from './operations.ts';
export * from './plan.ts';
export * from './fit-step.ts';
