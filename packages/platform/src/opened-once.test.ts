import type { Pixels } from '@dimetra/core';
import { describe, expect, it } from 'vitest';
import { openedOnce } from './opened-once.ts';

const picture = (bytes: number): Pixels => ({ width: 1, height: bytes / 4, data: new Uint8Array(bytes) });

describe('images of a run', () => {
  it('are opened once, also where two ask at the same time', async () => {
    let opened = 0;
    const { open } = openedOnce(async () => {
        opened++;
        return picture(40);
      }, 1000),
      [a, b] = [Uint8Array.of(1), Uint8Array.of(1)];
    const [first, second] = await Promise.all([open(a), open(a)]);
    expect(first).toBe(second);
    expect(await open(a)).toBe(first);
    await open(b);
    expect(opened).toBe(2);
  });
  it('go when there are too many, those asked for longest ago first', async () => {
    const asked: number[] = [],
      { open } = openedOnce(async (bytes) => {
        asked.push(bytes[0]);
        return picture(40);
      }, 100),
      [a, b, c] = [0, 1, 2].map((n) => Uint8Array.of(n));
    await open(a);
    await open(b);
    await open(a);
    await open(c);
    await open(a);
    expect(asked).toEqual([0, 1, 2]);
    await open(b);
    expect(asked).toEqual([0, 1, 2, 1]);
  });
  it('are asked for again where one could not be opened, and none is kept that is too large', async () => {
    let tries = 0;
    const { open } = openedOnce(async () => {
        if (++tries === 1) throw new Error('no');
        return picture(4000);
      }, 100),
      bytes = Uint8Array.of(1);
    await expect(open(bytes)).rejects.toThrow('no');
    expect((await open(bytes)).data).toHaveLength(4000);
    expect((await open(bytes)).data).toHaveLength(4000);
    expect(tries).toBe(3);
  });
  it('need no opening where they were just written', async () => {
    const { open, keep } = openedOnce(async () => {
        throw new Error('asked');
      }, 100),
      [a, b, c] = [0, 1, 2].map((n) => Uint8Array.of(n)),
      written = picture(60);
    keep(a, written);
    expect(await open(a)).toBe(written);
    // Kept ones count among what is held.
    keep(b, picture(60));
    await Promise.resolve();
    await expect(open(a)).rejects.toThrow('asked');
    await expect(open(c)).rejects.toThrow('asked');
  });
});
