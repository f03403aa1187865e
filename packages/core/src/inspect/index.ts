export * from './inspect.ts';
export { isUnchanged, type KindChanges, type NameKind, sourceChanges, type SourceChanges } from './source-changes.ts';
export { type Learned, type LearnedTarget, learnTarget, type Sample } from './learn-target.ts';
