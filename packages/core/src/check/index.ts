export * from './rules.ts';
export * from './delivered.ts';
export * from './stated.ts';
export * from './verdict.ts';
