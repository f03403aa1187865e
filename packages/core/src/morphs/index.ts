export * from './cost.ts';
