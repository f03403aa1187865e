import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { kernelNames, kernelPath, kernelText } from '../../../../../scripts/kernels.mjs';
import { KernelMemory } from './load.ts';

describe('WebAssembly kernels', () => {
  it.each(kernelNames())('%s is what its source compiles to', async (name) => {
    expect(readFileSync(kernelPath(name), 'utf8')).toBe(await kernelText(name));
  });
  it('hands out memory that does not overlap, and no more than it has', () => {
    const memory = new KernelMemory(3000),
      parts = [memory.floats(100), memory.doubles(100), memory.bytes(7), memory.words(100)];
    parts.forEach((part, i) => part.fill(i + 1));
    expect(parts.map((part) => new Set(part).size)).toEqual([1, 1, 1, 1]);
    expect(parts.every((part) => part.byteOffset % 64 === 0 && part.byteOffset > 0)).toBe(true);
    expect(() => memory.take(1e6)).toThrow(/more memory/);
  });
});
