export * from './compare.ts';
export type { ParityRow } from './row.ts';
export * from './heat-map.ts';
export * from './inventory.ts';
export * from './appearance.ts';
export * from './surface-distance.ts';
export * from './skin-through.ts';
export * from './alike.ts';
export { type Aside, type AsideTasks, asideWork, type StartAside } from './aside.ts';
export { drawnFigure } from './drawn.ts';
export type { Memory } from './memory.ts';
export {
  type MeantChange,
  type LookCover,
  type LookLoss,
  type LookRegion,
  type LookRow,
  LOOK_SIZE,
} from './prove-looks.ts';
