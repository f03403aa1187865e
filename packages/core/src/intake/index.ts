export * from './inspect.ts';
export * from './stance.ts';
