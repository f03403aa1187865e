export * from './limit.ts';
export * from './write.ts';
