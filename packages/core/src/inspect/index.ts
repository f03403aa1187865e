export * from './inspect.ts';
