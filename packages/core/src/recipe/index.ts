export * from './steps.ts';
export * from './recipe.ts';
export * from './run.ts';
export { codeOf, wholeCode } from './code-of.ts';
