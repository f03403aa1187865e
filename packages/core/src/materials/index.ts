export * from './alpha.ts';
export * from './transparency-step.ts';
