export * from './leg.ts';
export * from './samples.ts';
export * from './retarget.ts';
