export * from './naming.ts';
export * from './search.ts';
export * from './tiles.ts';
export * from './map-fault.ts';
export * from './judge.ts';
export * from './texel-density.ts';
export * from './coarse-maps.ts';
export * from './reading/index.ts';
