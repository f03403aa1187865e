export { MemoryStore } from '../recipe/index.ts';
