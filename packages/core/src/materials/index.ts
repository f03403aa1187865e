export * from './alpha.ts';
