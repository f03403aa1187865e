export * from './beside.ts';
export * from './plan.ts';
export * from './fit-step.ts';
export * from './find-step.ts';
export * from './replace.ts';
