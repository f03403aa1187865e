export * from './bake.ts';
export * from './change-rest.ts';
export * from './rest-step.ts';
export * from './rest-error.ts';
