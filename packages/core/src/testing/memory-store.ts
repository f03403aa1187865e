import type { KeptStep, StepStore } from '../recipe/index.ts';

/** Keeps what steps left behind, as the server's store does, for as long as a test runs. */
export class MemoryStore implements StepStore {
  readonly results = new Map<string, KeptStep>();
  readonly pieces = new Map<string, Uint8Array>();
  readonly conclusions = new Map<string, unknown>();
  async get(key: string) {
    return this.results.get(key) ?? null;
  }
  async put(result: KeptStep, pieces: ReadonlyMap<string, Uint8Array>) {
    this.results.set(result.key, result);
    this.add(pieces);
  }
  async recall(key: string) {
    return this.conclusions.get(key) ?? null;
  }
  async remember(key: string, value: unknown, pieces: ReadonlyMap<string, Uint8Array>) {
    this.conclusions.set(key, structuredClone(value));
    this.add(pieces);
  }
  async piece(hashes: readonly string[]) {
    return new Map(hashes.map((hash) => [hash, this.pieces.get(hash) as Uint8Array]));
  }
  add(pieces: ReadonlyMap<string, Uint8Array>) {
    for (const [hash, bytes] of pieces) this.pieces.set(hash, bytes);
  }
}
