export * from './bleed.ts';
export * from './codec.ts';
export * from './color.ts';
export * from './covered-texels.ts';
export * from './operations.ts';
export * from './pixels.ts';
export * from './widen.ts';
