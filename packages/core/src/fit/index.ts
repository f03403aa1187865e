export * from './skin.ts';
export * from './wrap.ts';
export * from './register.ts';
export * from './wrap-step.ts';
export * from './morphs-step.ts';
export * from './maps-step.ts';
