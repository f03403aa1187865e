export * from './codec.ts';
export * from './files.ts';
export { sha256 } from './hash.ts';
