export type { CharacterSummary, MapSummary } from './character-summary.ts';
export * from './inspect.ts';
export { isUnchanged, type KindChanges, type NameKind, sourceChanges, type SourceChanges } from './source-changes.ts';
export { type LearnedTarget, learnTarget } from './learn-target.ts';
export type { Learned, Sample } from './sample.ts';
export { firstFew } from './first-few.ts';
export { type Effect, effectsOf } from './target-effects.ts';
