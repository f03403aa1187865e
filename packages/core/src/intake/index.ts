export * from './inspect.ts';
export * from './stance.ts';
export * from './stand-step.ts';
