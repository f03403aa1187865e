export * from './groups.ts';
export * from './plan.ts';
export * from './remap.ts';
export * from './remap-step.ts';
export * from './repair-step.ts';
export * from './plan-figure.ts';
export * from './refigure.ts';
export * from './tie-order.ts';
