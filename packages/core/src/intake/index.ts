export * from './pieces.ts';
export * from './leave-out-step.ts';
export * from './stand-step.ts';
export * from './groups.ts';
export * from './reference-slots.ts';
export * from './assemble.ts';
export * from './assemble-step.ts';
export * from './split-tiles-step.ts';
