export * from '../step.ts';
export * from './steps.ts';
export * from './recipe.ts';
export * from './run.ts';
