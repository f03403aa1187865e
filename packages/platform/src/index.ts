export { startAside } from './aside.ts';
export * from './codec.ts';
export * from './files.ts';
export { sha256 } from './hash.ts';
export { peakMemory } from './memory.ts';
export { unpackKtx2 } from './ktx2.ts';
export { unpackImage } from './unpack.ts';
export { shippedBody } from './shipped-bodies.ts';
