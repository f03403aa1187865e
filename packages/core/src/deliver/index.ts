export { besideModel } from './beside.ts';
export * from './package.ts';
export * from './report.ts';
export * from './convert.ts';
export { asPosed } from './reference.ts';
export { type SecondEyes, judgeDelivery, type Delivery } from './judge.ts';
export * from './check-files.ts';
export { renameForDelivery } from './rename.ts';
export { clipsOut } from './clips-out.ts';
