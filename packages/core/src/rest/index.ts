export * from './bake-skeleton.ts';
export * from './bake-skeleton-step.ts';
export * from './change-rest.ts';
export { standAs } from './stand-joints.ts';
export * from './rest-step.ts';
export * from './rest-error.ts';
