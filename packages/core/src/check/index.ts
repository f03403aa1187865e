export { asCheck, blockingChecks, type Check, type Judgement, type Subject } from './judgement.ts';
export * from './rules.ts';
export { COMPRESSION_LIMITS, type CompressionChange, judgeCompression } from './compression.ts';
export * from './delivered.ts';
export * from './stated.ts';
export * from './verdict.ts';
export { weighed } from './weigh.ts';
