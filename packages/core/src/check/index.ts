export * from './rules.ts';
