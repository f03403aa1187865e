export * from './budget.ts';
export * from './components.ts';
export * from './simplify.ts';
export * from './simplify-step.ts';
