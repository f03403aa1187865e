export * from './steps.ts';
export * from './recipe.ts';
export * from './run.ts';
