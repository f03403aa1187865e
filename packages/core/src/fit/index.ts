export * from './skin.ts';
export * from './wrap.ts';
export * from './register.ts';
