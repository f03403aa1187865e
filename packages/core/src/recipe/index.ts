export * from './steps.ts';
export * from './recipe.ts';
export * from './run.ts';
export { codeOf, wholeCode } from './code-of.ts';
export { type Difference, differences, differenceWords, withDifferences } from './differences.ts';
export * from './shared.ts';
export { type Carried, carryNames, namesAfter } from './carry-names.ts';
export { MemoryStore } from './memory-store.ts';
