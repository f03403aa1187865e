export * from './compare.ts';
export type { ParityRow } from './row.ts';
export * from './heat-map.ts';
export * from './inventory.ts';
export * from './appearance.ts';
export * from './surface-distance.ts';
export * from './skin-through.ts';
export * from './alike.ts';
