import type { KeptStep, StepStore } from './run.ts';

/** Keeps what steps left behind for as long as it is held: so that several conversions of one character share what they can. */
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
