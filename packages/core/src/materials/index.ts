export * from './alpha.ts';
export * from './transparency-step.ts';
export * from './channels-step.ts';
