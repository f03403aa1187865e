export * from './alpha.ts';
export * from './transparency-step.ts';
export * from './channels-step.ts';
export * from './kinds-step.ts';
export { NO_TREATMENT, treatmentsOf, treatStep } from './treat-step.ts';
export * from './treatment.ts';
export { modelStep } from './model-step.ts';
export { strandOrderStep } from './strand-order-step.ts';
export { findKinds, recogniseKinds, SURE_OF_KIND } from './find-kinds.ts';
