export * from './inspect.ts';
export * from './body-axes.ts';
export * from './pieces.ts';
export * from './stance.ts';
export * from './stand-up.ts';
export * from './stand-step.ts';
